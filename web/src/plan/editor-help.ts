// What the editor offers beside the text: completion, meanings of keys, fixes, and folding by margins.
import { autocompletion, type CompletionContext, type CompletionResult } from '@codemirror/autocomplete'
import { foldService } from '@codemirror/language'
import type { Diagnostic } from '@codemirror/lint'
import type { EditorState } from '@codemirror/state'
import { hoverTooltip, type EditorView } from '@codemirror/view'
import { completionsAt, meaningAt, type Problem, type Surroundings } from '@jolt-gate/core'

/** Completes keys, words, sentences and names at the cursor. */
export function planCompletion(file: () => string, around: () => Surroundings | undefined) {
  return autocompletion({
    icons: false,
    override: [
      (context: CompletionContext): CompletionResult | null => {
        const known = around()
        if (known === undefined) return null
        const found = completionsAt(file(), context.state.doc.toString(), context.pos, known)
        if (found === undefined || (!context.explicit && found.from === context.pos && !opensChoice(context)))
          return null
        return {
          from: found.from,
          options: found.options.map(({ label, insert, about }) => ({ label, apply: insert, detail: about })),
          validFor: /^[\w$." -]*$/,
        }
      },
    ],
  })
}

/** Without being asked, a list opens after a colon, a dash, a brace or a word. */
function opensChoice({ state, pos }: CompletionContext): boolean {
  return /(?:[:,{-]\s|\{|\b(?:of|during|is|at|json) )$/.test(state.doc.sliceString(Math.max(0, pos - 12), pos))
}

/** Tells what a key means while the pointer rests on it. */
export function planMeanings(file: () => string) {
  return hoverTooltip((view, pos) => {
    const found = meaningAt(file(), view.state.doc.toString(), pos)
    if (found === undefined) return null
    return {
      pos,
      above: true,
      create() {
        const dom = document.createElement('div')
        dom.className = 'cm-meaning'
        const key = document.createElement('b')
        key.textContent = found.key
        const about = document.createElement('span')
        about.textContent = found.about
        dom.append(key, about)
        if (found.example !== '') {
          const example = document.createElement('code')
          example.textContent = found.example
          dom.append(example)
        }
        return { dom }
      },
    }
  })
}

/** Lines that stand deeper than one fold under it. */
export const foldByMargin = foldService.of((state: EditorState, lineStart: number) => {
  const line = state.doc.lineAt(lineStart)
  const margin = line.text.search(/\S/)
  if (margin < 0 || line.text.trimStart().startsWith('#')) return null
  let end = line
  for (let number = line.number + 1; number <= state.doc.lines; number++) {
    const next = state.doc.line(number)
    const at = next.text.search(/\S/)
    if (at >= 0 && at <= margin) break
    if (at >= 0) end = next
  }
  return end.number > line.number ? { from: line.to, to: end.to } : null
})

/** A problem at its place, with its fix. */
export function diagnosticOf(problem: Problem, { doc }: EditorState): Diagnostic {
  const line = doc.line(problem.line)
  const from = Math.min(line.from + problem.column - 1, line.to)
  const word = /^\S+/.exec(doc.sliceString(from, line.to))?.[0].length ?? 0
  const { fix } = problem
  const diagnostic: Diagnostic = {
    from,
    to: Math.min(line.to, from + Math.max(1, fix?.length ?? word)),
    severity: problem.severity,
    message: problem.message,
  }
  if (fix === undefined) return diagnostic
  const action = {
    name: `write ${fix.text}`,
    apply: (view: EditorView, at: number) => {
      view.dispatch({ changes: { from: at, to: at + fix.length, insert: fix.text } })
    },
  }
  return { ...diagnostic, actions: [action] }
}
