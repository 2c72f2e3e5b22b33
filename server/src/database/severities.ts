// Findings have a severity, of which the least is info; stored results called it a level, and the least a note.
import { QueryTypes, type QueryInterface } from 'sequelize'
import type { Migration } from './migration.js'

/** As they stand in a stored result: in a text inside it, such as a kept response, quotes are escaped. */
const WORDS: readonly [before: string, after: string][] = [
  ['"level":"problem"', '"severity":"problem"'],
  ['"level":"warning"', '"severity":"warning"'],
  ['"level":"note"', '"severity":"info"'],
  ['"kind":"two populations"', '"kind":"two groups of times"'],
]

export const severities: Migration = {
  name: '023-severities-of-findings',
  up: (schema) => rewrite(schema, WORDS),
  down: (schema) =>
    rewrite(
      schema,
      WORDS.map(([before, after]) => [after, before]),
    ),
}

async function rewrite(schema: QueryInterface, words: typeof WORDS): Promise<void> {
  for (const [from, to] of words)
    await schema.sequelize.query('UPDATE run_parts SET result = REPLACE(result, :from, :to) WHERE result LIKE :found', {
      replacements: { from, to, found: `%${from}%` },
      type: QueryTypes.RAW,
    })
}
