// Asks the server that started this push whether its branches may move; what it refuses is told to the one who pushes.
import { connect } from 'node:net'

const KEPT = ['GIT_DIR', 'GIT_OBJECT_DIRECTORY', 'GIT_ALTERNATE_OBJECT_DIRECTORIES', 'GIT_QUARANTINE_PATH']
const [place = '', ...moves] = process.argv.slice(2)
const environment = Object.fromEntries(KEPT.flatMap((name) => (process.env[name] ? [[name, process.env[name]]] : [])))
let answer = ''
const socket = connect(place, () => socket.end(JSON.stringify({ moves, folder: process.cwd(), environment })))
socket.setEncoding('utf8')
socket.on('data', (text) => (answer += text))
socket.on('error', (error) => {
  process.stderr.write(`refused: the server cannot be asked: ${error.message}\n`)
  process.exit(1)
})
socket.on('end', () => {
  if (answer === 'yes') return
  process.stderr.write(`refused: ${answer === '' ? 'the server gave no answer' : answer}\n`)
  process.exitCode = 1
})
