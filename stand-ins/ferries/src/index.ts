export { startFerries, type Ferries, type FerriesOptions } from './service.js'
