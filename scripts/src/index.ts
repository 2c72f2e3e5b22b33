export { startMariaDb, type MariaDb } from './mariadb.js'
export { startChild, type Child } from './children.js'
export { DEMO_SECRETS, sealKeyFile, prepareDemo } from './demo.js'
