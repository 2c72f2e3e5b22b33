export { startRun, type RunHandle, type RunOptions, type RunOutcome, type RunState } from './run.js'
export { secretsOf, variableOf, type Secrets } from './secrets.js'
export { calibrate, keepCalibration, lastCalibration } from './calibrate.js'
export { rehearse, type RehearsedStep, type Rehearsal } from './rehearse.js'
