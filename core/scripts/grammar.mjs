// Turns grammar/sentences.peggy into the parser that src/language/sentences.ts uses.
import { readFile, writeFile } from 'node:fs/promises'
import peggy from 'peggy'

const STARTS = [
  'DurationOnly',
  'RateOnly',
  'RatesOnly',
  'WaitOnly',
  'WholeRange',
  'DecimalRange',
  'DateOffset',
  'NormalSpread',
  'Gate',
  'Check',
  'Keep',
  'UsersRange',
  'UsersOnly',
  'StopOnly',
  'TraceOnly',
  'BitsOnly',
  'UntilOnly',
  'ValueCheck',
  'BeginsOnly',
  'BaselineOnly',
  'RequirementOnly',
]
const folder = new URL('../grammar/', import.meta.url)
const source = await readFile(new URL('sentences.peggy', folder), 'utf8')
const parser = peggy.generate(source, { format: 'es', output: 'source', allowedStartRules: STARTS })
await writeFile(new URL('sentences.js', folder), parser)
