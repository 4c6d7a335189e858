// npm run invite -- name@office.example "Their Name": a link for a keeper, when nobody can sign in who could make one; docs/office.md.
import { inviteCommand } from '../packages/server/src/app/inviteCommand.ts'

try {
  const [address = '', ...name] = process.argv.slice(2)
  console.log(await inviteCommand(address, name.join(' '), process.env))
} catch (error) {
  console.error(error instanceof Error ? error.message : error)
  process.exit(1)
}
