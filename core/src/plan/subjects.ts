// What checks look at and keeps take from: each subject is one entry that holds what it may be compared with, whether
// it needs the body, and what may be wrong with it.
import { compilePath } from '../language/json-path.js'
import type { KeepSource, Subject } from '../language/sentences.js'
import { xPathFault } from '../language/xml.js'

export type SubjectKind = Subject['kind'] | KeepSource['kind']

interface SubjectRules {
  /** Whether the body of the response must be read for it. */
  readsBody: boolean
  /** Units of the limit of `under`, `over`, `at least` and `at most`, and how that is said. */
  bound: { units: readonly string[]; words: string }
}

const NUMBER = { units: ['number'], words: 'a bare number' }
const ofBody: SubjectRules = { readsBody: true, bound: NUMBER }
const ofHead: SubjectRules = { readsBody: false, bound: NUMBER }

export const SUBJECTS: Readonly<Record<SubjectKind, SubjectRules>> = {
  status: ofHead,
  header: ofHead,
  cookie: ofHead,
  value: ofHead,
  'response time': { readsBody: false, bound: { units: ['time'], words: 'a time such as 300 ms' } },
  size: {
    readsBody: true,
    bound: { units: ['size', 'number'], words: 'a size such as 64 kB, or a number of bytes' },
  },
  body: ofBody,
  event: ofHead,
  data: ofBody,
  json: ofBody,
  xml: ofBody,
  match: ofBody,
}

/** Whether the body must be read for one of some subjects: the one place where that is decided. */
export const readsBody = (subjects: Iterable<{ kind: SubjectKind }>): boolean =>
  [...subjects].some(({ kind }) => SUBJECTS[kind].readsBody)

/** What is wrong with a path or an expression of a subject; undefined when nothing is. */
export function subjectFault(
  subject: Subject | KeepSource,
  namespaces: Readonly<Record<string, string>>,
): { code: 'JSON_PATH' | 'XPATH' | 'REGEX'; message: string } | undefined {
  switch (subject.kind) {
    case 'json': {
      const found = compilePath(subject.path)
      if (typeof found !== 'string') return undefined
      return { code: 'JSON_PATH', message: `"${subject.path}" is not a JSONPath (RFC 9535): ${found}` }
    }
    case 'xml': {
      const fault = xPathFault(subject.path, namespaces)
      return fault === undefined ? undefined : { code: 'XPATH', message: `"${subject.path}" is not an XPath: ${fault}` }
    }
    case 'match': {
      const fault = regexFault(subject.regex)
      return fault === undefined ? undefined : { code: 'REGEX', message: fault }
    }
    default:
      return undefined
  }
}

/** What is wrong with a regular expression; undefined when nothing is. */
export function regexFault({ source, flags }: { source: string; flags: string }): string | undefined {
  try {
    new RegExp(source, flags)
    return undefined
  } catch (error) {
    return error instanceof Error ? error.message : 'not a regular expression'
  }
}
