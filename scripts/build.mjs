import { build } from './bootstrap.mjs'

build()
