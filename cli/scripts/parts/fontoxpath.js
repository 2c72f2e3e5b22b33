// The library of XPath, loaded when the first expression is read: most plans have none, and each thread would begin
// with it.
const library = () => require('fontoxpath')

export function evaluateXPath(...given) {
  return library().evaluateXPath(...given)
}
for (const name of ['ALL_RESULTS_TYPE', 'XPATH_3_1_LANGUAGE'])
  Object.defineProperty(evaluateXPath, name, { get: () => library().evaluateXPath[name] })
export default { evaluateXPath }
