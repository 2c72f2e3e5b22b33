import { build, installPackages } from './bootstrap.mjs'

installPackages()
build()
await import('./dist/test.js')
