// `sql: "{secret.database}"`, for what is prepared and cleared away outside the load.
import type { StepContext } from '../context.js'
import { offsetOf, placeOf, readFields, readList, readText, scalarOf, type Field } from '../fields.js'
import type { SqlStep } from '../model.js'
import { writtenText } from '../source.js'
import { NOTHING_INSIDE, outlineLine, type StepKind } from './kind.js'
import { readTimeout } from './shared.js'

export const SQL: StepKind<SqlStep> = {
  read(context, node) {
    const { source, defaults } = context
    const fields = readFields(source, node, 'this sql step', 'sql')
    if (!context.isOnce) source.report(offsetOf(node), 'SQL', 'an sql step is allowed in setup and teardown only')
    const database = readText(source, fields.get('sql'), 'sql')
    const statement = readText(source, fields.get('run'), 'run')
    if (!fields.has('run'))
      source.report(offsetOf(node), 'SQL', 'this sql step has no statement: add run: and a statement')
    if (database === undefined || statement === undefined) return []
    return [
      {
        kind: 'sql',
        name: readText(source, fields.get('name'), 'name') ?? `sql ${statement.slice(0, 40)}`,
        database,
        statement,
        with: readTexts(context, fields.get('with')),
        timeoutMs: readTimeout(source, fields.get('timeout')) ?? defaults.timeoutMs,
        at: placeOf(source, node),
      },
    ]
  },
  ...NOTHING_INSIDE,
  timed: ({ name }) => [{ name, isRequest: true, reach: 'must', checks: [], keeps: [] }],
  names(step, scope) {
    scope.texts([step.database, ...step.with], step.at)
    return []
  },
  outline: ({ name, at }) => [outlineLine(at, { sort: 'request', method: 'sql', label: name.replace(/^sql /, '') })],
}

function readTexts({ source }: StepContext, field: Field | undefined): string[] {
  return readList(source, field?.value ?? null, 'with').flatMap((item) => {
    const scalar = scalarOf(source, item, 'a parameter', offsetOf(item))
    return scalar === undefined ? [] : [writtenText(scalar)]
  })
}
