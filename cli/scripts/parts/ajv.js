// The library of JSON Schema, loaded when the first schema is read: most plans have none, and each thread would begin
// with it.
export function Ajv2020(options) {
  return new (require('ajv/dist/2020.js').Ajv2020)(options)
}
