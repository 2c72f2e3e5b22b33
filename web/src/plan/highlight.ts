// Colours of the plan format: YAML by its grammar, and within it names in braces, quantities and the words of
// sentences.
import { HighlightStyle, syntaxHighlighting } from '@codemirror/language'
import {
  Decoration,
  EditorView,
  MatchDecorator,
  ViewPlugin,
  type DecorationSet,
  type ViewUpdate,
} from '@codemirror/view'
import { tags } from '@lezer/highlight'

const style = HighlightStyle.define([
  { tag: [tags.propertyName, tags.definition(tags.propertyName)], color: 'var(--lake)' },
  { tag: tags.comment, color: 'var(--faint)', fontStyle: 'italic' },
  { tag: tags.string, color: 'var(--ink)' },
  { tag: tags.content, color: 'var(--ink)' },
  { tag: [tags.separator, tags.punctuation, tags.squareBracket, tags.brace], color: 'var(--soft)' },
])

const WORDS = [
  { pattern: /\{[?&#+./;]?[A-Za-z0-9_.,*:]+\}/g, name: 'cm-plan-name' },
  { pattern: /(?<![\w.{$])\d+(\.\d+)?\s?(ms|s|min|m|h|%|kB|MB|GB|\/s|\/min|\/h)?(?![\w.])/g, name: 'cm-plan-quantity' },
  { pattern: /\b(GET|POST|PUT|PATCH|DELETE|HEAD|OPTIONS)\b/g, name: 'cm-plan-method' },
  {
    pattern:
      /(?<=- .*)\b(is not|is one of|is missing|is|contains|matches|exists|has at least|has at most|has|under|over|at most|at least|during|of|at random)\b/g,
    name: 'cm-plan-word',
  },
]

const decorators = WORDS.map(({ pattern, name }) => {
  const matcher = new MatchDecorator({ regexp: pattern, decoration: Decoration.mark({ class: name }) })
  return ViewPlugin.fromClass(
    class {
      decorations: DecorationSet
      constructor(view: EditorView) {
        this.decorations = matcher.createDeco(view)
      }
      update(update: ViewUpdate) {
        this.decorations = matcher.updateDeco(update, this.decorations)
      }
    },
    { decorations: (plugin) => plugin.decorations },
  )
})

const theme = EditorView.theme({
  '&': { height: '100%', backgroundColor: 'var(--sheet)', fontSize: '12.5px' },
  '&.cm-focused': { outline: 'none' },
  '.cm-scroller': { fontFamily: 'var(--mono)', lineHeight: '19px' },
  '.cm-gutters': { backgroundColor: 'var(--sheet)', border: 'none', color: 'var(--soft)' },
  '.cm-activeLine': { backgroundColor: 'var(--active-line)' },
  '.cm-activeLineGutter': { backgroundColor: 'transparent', color: 'var(--ink)' },
  '.cm-selectionBackground, &.cm-focused .cm-selectionBackground': { backgroundColor: 'var(--ochre-light) !important' },
  '.cm-plan-name, .cm-plan-name *': { color: 'var(--brick)' },
  '.cm-plan-quantity, .cm-plan-quantity *': { color: 'var(--slate)' },
  '.cm-plan-method, .cm-plan-method *': { fontWeight: '600' },
  '.cm-plan-word, .cm-plan-word *': { color: 'var(--ochre-text)' },
  '.cm-lintRange-error': { backgroundImage: 'none', borderBottom: '2px solid var(--brick)' },
  '.cm-lintRange-warning': { backgroundImage: 'none', borderBottom: '2px dotted var(--ochre)' },
  '.cm-tooltip': {
    border: '1px solid var(--rule)',
    backgroundColor: 'var(--white)',
    fontFamily: 'var(--font)',
    color: 'var(--ink)',
  },
  '.cm-tooltip-autocomplete ul li[aria-selected]': { backgroundColor: 'var(--lake-light)', color: 'var(--ink)' },
  '.cm-completionDetail': { color: 'var(--soft)', fontStyle: 'normal', fontFamily: 'var(--font)' },
  '.cm-panels': { backgroundColor: 'var(--paper)', color: 'var(--ink)' },
  '.cm-textfield': { backgroundColor: 'var(--white)', border: '1px solid var(--rule)' },
  '.cm-button': { backgroundImage: 'none', backgroundColor: 'var(--sheet)', border: '1px solid var(--rule)' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
  '.cm-foldPlaceholder': { backgroundColor: 'var(--band)', border: 'none', color: 'var(--soft)' },
  '.cm-diagnosticAction': { backgroundColor: 'var(--lake)', color: 'var(--on-lake)' },
})

export const planColours = [syntaxHighlighting(style), ...decorators, theme]
