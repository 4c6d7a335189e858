import { setFlagsFromString } from 'node:v8'

// The process of the tests has much room for new objects (vitest.config.ts). A thread that begins later would have it too, whatever its limits
// say; and where new objects need more than the limit of all has left, V8 ends not that thread but the process, with all tests in it.
setFlagsFromString('--max-semi-space-size=16')
