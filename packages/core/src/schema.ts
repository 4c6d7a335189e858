import { z } from 'zod'

// The desk's content policy forbids what Zod would compile its schemas by (`new Function`). Said before the first schema is made.
z.config({ jitless: true })

export { z }
