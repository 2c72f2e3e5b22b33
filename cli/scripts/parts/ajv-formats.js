// With the library of JSON Schema, and no sooner.
export default { default: (ajv) => require('ajv-formats').default(ajv) }
