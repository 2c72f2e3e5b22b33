export { ServiceRepository } from './service-repository.js'
