export { startFerries, type Ferries } from './service.js'
