export {
  startRun,
  type RunHandle,
  type RunOptions,
  type RunOutcome,
  type RunState,
  type SetUp,
} from './coordinate/run.js'
export { secretsOf, variableOf, type Secrets } from './secrets/secrets.js'
export { calibrate, keepCalibration, lastCalibration } from './calibrate/calibrate.js'
export { rehearse } from './rehearse/rehearse.js'
export { type Memory } from './rehearse/rehearsing.js'
export { collectorAt, type Collector } from './telemetry/collector.js'
export { closePorts, GUARDED, reachable, refusal, refusalOf } from './network/reach.js'
export { controlNeeded, proveControl, WELL_KNOWN, type ControlFound, type ControlNeeded } from './permit/control.js'
export { startGenerator, type Generator } from './carry/generator.js'
export { SAMPLE_COLUMNS } from './generate/sample-rows.js'
export { readJournal, type JournalHead } from './carry/journal.js'
export type { FromGenerator, RunOrder, Told } from './carry/generator-protocol.js'
