// Entry of a thread that runs from sources: reads TypeScript, then runs the module it was given.
import { register } from 'tsx/esm/api'

register()
await import(process.argv[2])
