import { installPackages, step } from './bootstrap.mjs'

installPackages()
step('node', ['core/scripts/grammar.mjs'])
const { register } = await import('tsx/esm/api')
register()
await import('./src/dev.ts')
