export { workOff, type Outcome, type PipelineOptions } from './pipeline.js'
export { FIRST_CHANGES, ServiceRepository, type Version } from './service-repository.js'
