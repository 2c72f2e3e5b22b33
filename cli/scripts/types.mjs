// The types of the package, in one file that needs no other: what `api.ts` exports, with the types of core written out.
// An argument names another folder than `cli/bundle`.
import { mkdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { format } from 'prettier'
import ts from 'typescript'

const source = fileURLToPath(new URL('../src/api.ts', import.meta.url))
const program = ts.createProgram([source], {
  strict: true,
  declaration: true,
  emitDeclarationOnly: true,
  exactOptionalPropertyTypes: true,
  target: ts.ScriptTarget.ES2023,
  lib: ['lib.es2023.d.ts', 'lib.dom.d.ts'],
  module: ts.ModuleKind.NodeNext,
  moduleResolution: ts.ModuleResolutionKind.NodeNext,
  customConditions: ['jolt-gate-source'],
  types: ['node'],
})
const checker = program.getTypeChecker()
const { NoTruncation, InTypeAlias, UseAliasDefinedOutsideCurrentScope } = ts.TypeFormatFlags
const FLAGS = NoTruncation | InTypeAlias | UseAliasDefinedOutsideCurrentScope

let declared = ''
program.emit(program.getSourceFile(source), (_, text) => (declared = text), undefined, true)
const own = declared
  .split('\n')
  .filter((line) => !/^(import|export) .*from /.test(line) && !/^export (type )?\{/.test(line))
  .join('\n')
const result = `/** What a run came to: result.json, format 1. */
export type RunResult = ${textOf('RunResult')}
`
const formats = `/** The reports that a result may be written as. */
export type ReportFormat = ${textOf('ReportFormat')}
`
const usage = `/** A plan, an option, a file or a permission is wrong; nothing was sent. The message says what, and where. */
export declare class UsageError extends Error {}
`
const text = await format(`${own}\n${formats}\n${usage}\n${result}`, {
  parser: 'typescript',
  semi: false,
  singleQuote: true,
})
const folder = process.argv[2] ?? fileURLToPath(new URL('../bundle', import.meta.url))
mkdirSync(folder, { recursive: true })
writeFileSync(join(folder, 'api.d.ts'), text)

/** A type as text, with all that it is made of. */
function textOf(name) {
  const file = program.getSourceFile(source)
  const found = checker.getExportsOfModule(checker.getSymbolAtLocation(file)).find((symbol) => symbol.name === name)
  const type = checker.getDeclaredTypeOfSymbol(checker.getAliasedSymbol(found))
  return checker.typeToString(type, undefined, FLAGS)
}
