// Regular expressions of plans meet answers of strangers. One that backtracks too often goes on in that engine of V8
// which takes time in proportion to the text: it reads all that I-Regexp (RFC 9485) has but large counts, and no flags.
// What it does not read is left to the heartbeat of its thread.
import { setFlagsFromString } from 'node:v8'

// For the whole process, all its threads included.
setFlagsFromString('--enable-experimental-regexp-engine-on-excessive-backtracks')
