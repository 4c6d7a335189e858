// npm run build: builds what the programs need, for services that start them without looking whether something is missing.
import { buildCommands, buildServer } from './buildServer.mjs'
import { buildWeb } from './prepare.mjs'

buildWeb()
await buildCommands()
console.log(`Built in ${await buildServer()}.`)
