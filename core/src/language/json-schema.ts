// JSON Schema (2020-12 and 07) by a library, compiled once.
import { Ajv2020 } from 'ajv/dist/2020.js'
import addFormats from 'ajv-formats'
import type { Json } from './sentences.js'

/** Tests a value. */
export interface SchemaTest {
  fits: (value: Json) => boolean
  /**
   * The first rule that a value breaks, with its place as a JSON Pointer in which items of arrays are `*`, so that like
   * faults count as one; empty where it fits.
   */
  brokenRule: (value: Json) => string
}
const MOST_WORDS = 200

/**
 * Compiles a schema.
 *
 * @param schema - the whole document of the schema and a JSON Pointer into it, as `readCheck` made it
 * @returns a test, or the fault in words
 */
export function compileSchema(schema: Json): SchemaTest | string {
  if (schema === null || typeof schema !== 'object' || Array.isArray(schema)) return 'a schema is a JSON object'
  const { document, pointer } = schema
  if (document === null || document === undefined || typeof document !== 'object' || Array.isArray(document))
    return 'a schema is a JSON object'
  const ajv = new Ajv2020({ strict: false, logger: false, validateFormats: true, ownProperties: true })
  addFormats.default(ajv)
  try {
    // The dialect is ours to choose: a document such as an OpenAPI description names none or another.
    const rest = { ...document }
    delete rest['$schema']
    delete rest['$id']
    ajv.addSchema(rest, 'document')
    const validate = ajv.compile({ $ref: `document#${typeof pointer === 'string' ? pointer : ''}` })
    return {
      fits: (value) => validate(value),
      brokenRule: (value) => {
        const error = validate(value) ? undefined : validate.errors?.[0]
        if (error === undefined) return ''
        const place = error.instancePath.replaceAll(/\/\d+(?=\/|$)/g, '/*')
        return `${place === '' ? 'it' : place} ${error.message ?? error.keyword}`.slice(0, MOST_WORDS)
      },
    }
  } catch (error) {
    // Where code may not be made, as in a page, a schema is not judged: the command and the server judge it.
    if (error instanceof EvalError) return { fits: unjudged, brokenRule: unjudged }
    return error instanceof Error ? error.message : String(error)
  }
}

function unjudged(): never {
  throw new EvalError('a schema cannot be compiled here')
}
