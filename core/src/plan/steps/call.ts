// `call: fares.ts#choose`: a function of a script of the repository.
import { fileTextAt } from '../context.js'
import { offsetOf, placeOf, readEntries, readFields, readSwitch, readText } from '../fields.js'
import type { CallStep } from '../model.js'
import { readJson, textsOfJson } from '../texts.js'
import { NOTHING_INSIDE, outlineLine, type StepKind } from './kind.js'
import { readKeeps, readOnFailure } from './shared.js'

export const CALL: StepKind<CallStep> = {
  read(context, node) {
    const { source, defaults } = context
    const fields = readFields(source, node, 'this call step', 'call')
    const field = fields.get('call')
    const written = readText(source, field, 'call')
    if (written === undefined || field === undefined) return []
    const [, file, name] = /^([^#]+\.(?:ts|js))#([A-Za-z_$][\w$]*)$/.exec(written) ?? []
    if (file === undefined || name === undefined) {
      source.report(
        offsetOf(field.value),
        'CALL',
        `call needs a script and a function such as fares.ts#choose, found "${written}"`,
      )
      return []
    }
    const script = fileTextAt(context, offsetOf(field.value), file)
    if (script === undefined) return []
    return [
      {
        kind: 'call',
        name: readText(source, fields.get('name'), 'name') ?? `call ${written}`,
        file,
        script,
        export: name,
        with: [...readEntries(source, fields.get('with')?.value ?? null, 'with')].map(([key, entry]) => [
          key,
          readJson(source, entry.value),
        ]),
        keeps: readKeeps(context, fields.get('keep')),
        onFailure: readOnFailure(source, fields.get('on failure')) ?? defaults.onFailure,
        mayBeSkipped: readSwitch(source, fields.get('may be skipped'), 'may be skipped') ?? false,
        at: placeOf(source, node),
      },
    ]
  },
  ...NOTHING_INSIDE,
  timed: ({ name, keeps, mayBeSkipped }) => [
    { name, isRequest: false, reach: mayBeSkipped ? 'may' : 'must', checks: [], keeps },
  ],
  names(step, scope) {
    for (const [, json] of step.with) scope.texts(textsOfJson(json), step.at)
    return scope.keeps(step.keeps)
  },
  outline: ({ name, at }) => [
    outlineLine(at, { sort: 'request', method: 'script', label: name.replace(/^call /, '') }),
  ],
}
