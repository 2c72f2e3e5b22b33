// Entry of a thread that runs from sources. Tests bundle them once, at their start; else TypeScript is read here.
import { register } from 'tsx/esm/api'

const entry = process.argv[2]
const bundle = process.env.JOLT_GATE_TEST_BUNDLE
if (bundle === undefined) {
  register()
  await import(`../${entry}.ts`)
} else await import(`file://${bundle}/${entry}.js`)
