import { endWhenBroken, readSettings, startHandPost } from '../src/index.ts'

// Hand Post as a program whose database can be made to die.
const handPost = await startHandPost({ settings: readSettings(process.env) })
endWhenBroken(handPost)
process.on('message', () => void handPost.parts.db.thread.terminate())
process.send!({ ready: true, address: handPost.address, publicUrl: handPost.publicUrl })
