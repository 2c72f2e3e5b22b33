export { startMariaDb, type MariaDb } from './mariadb.js'
export { startChild, type Child } from './children.js'
export { FROM_SOURCES } from './sources.js'
export { DEMO_SECRETS, sealKeyFile, prepareDemo } from './demo.js'
