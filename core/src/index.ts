// What other rooms may use of core.
export * from './plan/model.js'
export * from './plan/target-model.js'
export * from './plan/steps/walk.js'
export { readPlan, type PlanReading } from './plan/read.js'

export { fileOfTarget, nameOfTargetFile, readTarget, targetOfOrigin } from './plan/target.js'
export { FAMILIES, familyOf, MEASURES } from './plan/measures.js'
export { nearestWord, readSentence, type Json, type Measure, type Span } from './language/sentences.js'
export { parseCsv, parseJsonLines } from './plan/data.js'
export { firstRows, rowValue, withoutRows } from './plan/rows.js'
export { MOST_PLAN_BYTES } from './plan/source.js'
export { compileUrl, namesInText, namesInUrl, splitText } from './language/templates.js'
export { grpcStatus } from './language/grpc-status.js'
export { ProtoFault, protoMethod, type ProtoFile, type ProtoMethod } from './language/protobuf.js'
export { reconnectName } from './plan/steps/stream.js'
export { networkOf } from './load/user-networks.js'
export { PLACE_NAME, PLACE_NAME_WORDS } from './plan/places.js'
export type { PartSummary } from './view/parts.js'
export { compilePath, parseJson } from './language/json-path.js'
export { Draws } from './values/random.js'
export { TRACE_HEADER, Traces, tracesOf } from './values/traces.js'
export { isNumberMaker, makeValue, pickIndex, waitMs } from './values/makers.js'
export { compilePattern } from './language/patterns.js'
export {
  asText,
  base64,
  compileHeaders,
  compileJson,
  compileRequest,
  compileText,
  compileUrlTemplate,
  compileValue,
  type CompiledRequest,
  type FileBytes,
  type Frame,
  type Lookup,
  type ValueReader,
} from './values/compile.js'
export { Received, UnreadableBody, type ReceivedFacts } from './assess/received.js'
export {
  compileCheck,
  compileFinder,
  compileReason,
  type AssessContext,
  type Finder,
  type Reason,
  type Verify,
} from './assess/check.js'
export { compileKeep, type Take } from './assess/keep.js'
export { isOpenPhase, usersAt } from './plan/phases.js'
export { readsBody } from './plan/subjects.js'
export { arrivalCounts, TrackArrivals, tracksIn } from './load/arrivals.js'
export { UserSchedule } from './load/users.js'
export { curveOf, type CurvePoints } from './load/curve.js'
export { causesOf, causeWords } from './report/causes.js'
export { gatesOf } from './plan/default-gates.js'
export { scalePlan } from './load/scale.js'
export { JourneyMix } from './load/mix.js'
export { previewOf, type Preview } from './load/preview.js'
export { type PhasePreview } from './load/phase-previews.js'
export { Dealer, dealtEvenly, UNDIVIDED, type Deal } from './load/deal.js'
export { arrivalsFrom } from './load/lost-arrivals.js'
export { JourneyChoice, loadFingerprint, loadSeconds, ScheduleCursor, userNumber } from './load/schedule.js'
export { Distribution, slotOf } from './numbers/distribution.js'
export { decodeHdr, encodeHdr } from './measure/hdr.js'
export {
  meanInterval,
  percentileInterval,
  shareInterval,
  wilson,
  type BatchedValues,
  type BatchInterval,
  type RatioBatch,
} from './numbers/batches.js'
export { samplesNeeded } from './numbers/percentiles.js'
export { studentQuantile } from './numbers/student.js'
export * from './measure/bucket.js'
export { decodeBucket, encodeBucket } from './measure/bucket-codec.js'
export { countRow, pool, SCOPE_COUNTS, STEP_TIMES } from './measure/cells.js'
export { Recording } from './measure/recording.js'
export { BoundedRecording } from './measure/bounds.js'
export { GeneratorError, latenessOf, longestOf } from './measure/generator-error.js'
export { NOT_MEASURED, Numbers, phaseRanges, shapeOf, type RunShape } from './measure/shape.js'
export { judgeGate } from './judge/gates.js'
export {
  allowedWords,
  errorWords,
  observedWords,
  borderlineCount,
  borderlineWords,
  gateCountWords,
  intervalWords,
  besideStatus,
  type GateResult,
} from './judge/gate-result.js'
export { isRuleFromBelow, measuredByRule, subjectOfRule } from './judge/subject.js'
export { triedOnPast, type PastFigure, type PastOutcome } from './judge/past.js'

export {
  baselineFault,
  baselineFrom,
  baselineOf,
  baselineValue,
  MOST_BASELINE_RUNS,
  runsOfBaseline,
  type Baseline,
  type BaselineRun,
} from './judge/baseline.js'
export { LABEL_WORDS, labelsWritten, MOST_LABELS, readLabel } from './language/labels.js'
export {
  familiesOf,
  familyValue,
  MOST_PAGE_CHARACTERS,
  parseMetricPage,
  type MetricPage,
} from './language/open-metrics.js'
export { formatMs, formatValue } from './judge/values.js'
export { StopWatch } from './judge/stop.js'
export { distrust, NO_DOUBTS, reasonsOf, type GeneratorFaults } from './judge/trust.js'
export { gaveWay, trialAnswer } from './capacity/answer.js'
export { CapacitySearch, holdsAtLeast, type Found, type TrialAnswer } from './capacity/search.js'
export {
  CAPACITY_DEFAULTS,
  CapacityFault,
  loadWords,
  readCapacityGoal,
  type CapacityGoal,
  type CapacityWords,
} from './capacity/goal.js'
export { fitLaw, throughputBy, type Law, type LawPoint } from './capacity/law.js'
export {
  CAPACITY,
  decidedAnswer,
  firstToGiveWay,
  searchAnswer,
  statusOfGate,
  unknownAnswer,
  withGates,
  type Capacity,
  type CapacityAnswer,
  type TrialMade,
} from './capacity/outcome.js'
export { judgedGates, noCapacityReason, trialPlan, type CapacityUnit } from './capacity/trial.js'
export { judge, type Ending, type Judgement } from './judge/verdict.js'
export { verdictWords, type Verdict } from './judge/verdict-words.js'
export { judgeRepeated } from './judge/repeated.js'
export * from './report/result.js'
export * from './view/scopes.js'
export * from './view/summaries.js'
export { tooLittleLeft } from './judge/losses.js'
export type { Loss } from './measure/loss.js'
export { TURN_KINDS, turnOf, type RunTurn } from './view/turns.js'
export { RunView, type RunEvent, type Series, type TimeRange } from './view/run-view.js'
export { limitLinesOf, type LimitLine } from './view/limit-lines.js'
export {
  BUILT_IN_LANES,
  isLane,
  lanesText,
  MOST_IN_LANE,
  MOST_OWN_LANES,
  MOST_UNITS,
  readLanes,
  seriesIn,
  seriesText,
  seriesWords,
  unitOfSeries,
  type BuiltInLane,
  type LaneSpec,
  type SeriesOf,
} from './view/lanes.js'
export { OwnSeries, type SeriesValues } from './view/own-series.js'
export { pictureOfTimes, timesInResult, type TimesOf, type TimesPicture } from './view/times.js'
export { dueBySecond, type PhasePart, type PhaseSummary } from './view/phases.js'
export { timeTicks } from './view/time-ticks.js'
export { explain } from './explain/explain.js'
export { evidenceWords } from './explain/evidence-names.js'
export { type Finding, type FindingKind } from './explain/finding.js'
export { isDue, readRetention, retentionWritten, type KeepRule, type KeptRun } from './language/retention.js'
export { GRADES, type Grade } from './language/grades.js'

export { impactOf } from './judge/impact.js'

export { breakpointOf } from './numbers/breakpoint.js'
export { dipOf } from './numbers/dip.js'
export { normalQuantile, normalTail } from './numbers/normal.js'
export { autocorrelation, changePointOf, trendOf } from './numbers/trends.js'
export { findingsOf, impactWords, recoveryWords, type ResultFinding, type ResultImpact } from './report/explained.js'
export { REPORT_NAMES, reportOf, REPORTS, type ReportName } from './report/reports.js'
export { junitOf, type Reported } from './report/junit.js'
export { markdownOf } from './report/markdown.js'
export { csvField, csvOf } from './report/csv.js'
export { badgeOf } from './report/badge.js'
export { figuresOf, lengthOf, sparkOf, type Spark } from './report/run-figures.js'
export { otlpOf, type OtlpMetrics } from './report/otlp.js'
export { htmlOf } from './report/html.js'
export {
  readResult,
  RESULT,
  type Calibration,
  type FleetGenerator,
  type OnceResult,
  type RenewalResult,
  type RunResult,
} from './judge/result-schema.js'
export { base64OfBytes, bytesOfBase64 } from './numbers/base64.js'
export {
  compareRuns,
  isOfSeveral,
  runsOfSide,
  comparisonWords,
  comparisonOutcome,
  SMALLEST,
  type Change,
  type Comparison,
} from './compare/compare.js'
export { repeatsFor, spreadOfMedian } from './numbers/repeats.js'
export { compareSides, LEAST_RUNS_OF_SIDE } from './compare/sides.js'
export { FALSE_ALARMS, LEAST_RUNS, levelChanges, levelsOf } from './trend/changes.js'
export { alarmOf } from './trend/alarm.js'
export { readAlarm, readTrends, type TrendChange, type TrendRead } from './trend/series.js'
export { holm } from './numbers/statistics.js'
export { durationOf, growthWarning, PROFILES, PROFILE_PURPOSES, profileLoad, type HeldLoad } from './load/profile.js'
export { comparisonMarkdown, comparisonMethod, rowOf } from './report/comparison-markdown.js'
export * from './write/tree.js'
export { applyChanges, editText, type Edit, type TextChange } from './write/edit.js'
export { rootShapeOf, spotAt } from './write/context-of.js'
export { type Written } from './write/yaml-text.js'
export { CONTEXTS, STEP_CONTEXTS, type ContextName, type Key, type Shape } from './plan/vocabulary.js'
export { formatSchema } from './write/format-schema.js'
export { completeSentence, completionsAt, meaningAt, namesKnown, type Surroundings } from './write/complete.js'
export { renameInText, type Renamed } from './write/rename.js'
export { planChanges, type PlanChange } from './write/changes.js'
export { ImportFault } from './import/fault.js'
export { kindOf } from './import/kinds.js'
export { type Imported } from './import/draft.js'
export { importCurl, shellWords } from './import/curl.js'
export { importUrl } from './import/bare-url.js'
export { MOST_HAR_BYTES, readHar, type HarReading } from './import/har.js'
export { importHar, leftOutOf, usualChoice, WAITS, type HarChoice } from './import/from-har.js'
export { importOpenApi, readOpenApi, type ApiReading } from './import/openapi.js'
export { importWsdl, readWsdl, type WsdlReading } from './import/wsdl.js'
export {
  isLoopback,
  isLoopbackAddress,
  originsToPermit,
  parseHours,
  NO_LOAD,
  permissionFault,
  permissionText,
  type AskedLoad,
} from './plan/permission.js'
export {
  type KeptRequest,
  type RehearsedRequest,
  type RehearsedStep,
  type Rehearsal,
  type TimingParts,
} from './measure/rehearsed.js'

export { ADMISSION_TITLES, admissionOf, lengthWords, plansOfAdmissions, type Admission } from './pipeline/admission.js'
export { beginsWords, type Pipeline, type PipelineReading, type PlanOfStage, type Stage } from './pipeline/model.js'
export { readPipeline } from './pipeline/read.js'
export { nextTime } from './pipeline/schedule.js'
export {
  stageAt,
  STAGE_STATES,
  type Approval,
  type ChangeUnderTest,
  type StageAtChange,
  type StageRun,
  type StageState,
} from './pipeline/stage-state.js'
export { isPipelineFile } from './plan/pipeline-words.js'
