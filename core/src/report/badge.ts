// The last verdict of a plan as a picture for a page of somebody else: the barrier, the plan, the verdict.
import type { Verdict } from '../judge/verdict-words.js'
import { text } from './html-text.js'

export interface Badge {
  /** The plan. */
  label: string
  branch: string | null
  /** Null where the plan was not run there yet. */
  verdict: Verdict | null
}

const LOOKS: Record<Verdict | 'none', { words: string; colour: string; arm: string }> = {
  open: { words: 'open (passed)', colour: '#0d5c66', arm: '<path d="M7 11 19 4" stroke="#0d5c66" stroke-width="3"/>' },
  shut: {
    words: 'shut (failed)',
    colour: '#a93a2a',
    arm: '<path d="M7 10h20" stroke="#a93a2a" stroke-width="3"/><path d="M12 10h3M18 10h3" stroke="#fbf9f4" stroke-width="3"/>',
  },
  void: {
    words: 'void (inconclusive)',
    colour: '#1c2a32',
    arm: '<path d="M7 10h20" stroke="#1c2a32" stroke-width="2" stroke-dasharray="4 2.5"/>',
  },
  stopped: { words: 'stopped', colour: '#5f6c74', arm: '<path d="M7 11 25 7" stroke="#5f6c74" stroke-width="3"/>' },
  none: { words: 'not run', colour: '#5f6c74', arm: '' },
}

const HEIGHT = 22
const SIGN = 34
const GAP = 8
const MOST_LABEL = 60
/** Widths of characters in the usual sans-serif faces at 11 px, about; the text is fitted to their sum. */
const WIDTHS: [kind: RegExp, px: number][] = [
  [/[ijlI.,:;'|!/()[\] ·]/, 3.2],
  [/[frt-]/, 4],
  [/[mwMW@]/, 9],
  [/[A-Z]/, 7.4],
]
const USUAL_WIDTH = 6.1

/** An SVG of one line. What it says stands in its title, for the one who hears it. */
export function badgeOf({ label, branch, verdict }: Badge): string {
  const { words, colour, arm } = LOOKS[verdict ?? 'none']
  const name = `${cut(label)}${branch === null ? '' : ` · ${cut(branch)}`}`
  const [nameWidth, wordWidth] = [widthOf(name), widthOf(words)]
  const width = SIGN + nameWidth + GAP + wordWidth + GAP
  const said = (at: number, length: number, fill: string, what: string, weight: number) =>
    `<text x="${String(at)}" y="15" textLength="${String(length)}" lengthAdjust="spacingAndGlyphs" fill="${fill}" font-weight="${String(weight)}">${text(what)}</text>`
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${String(width)}" height="${String(HEIGHT)}" role="img" aria-label="${text(`${name}: ${words}`)}"><title>${text(`${name}: ${words}`)}</title><rect x=".5" y=".5" width="${String(width - 1)}" height="${String(HEIGHT - 1)}" fill="#fbf9f4" stroke="#dad3c3"/><path d="M4 18V8h5v10zM2 17h9v2H2z" fill="#1c2a32"/><g fill="none">${arm}</g><g font-family="Archivo, Helvetica, Arial, sans-serif" font-size="11">${said(SIGN, nameWidth, '#1c2a32', name, 400)}${said(SIGN + nameWidth + GAP, wordWidth, colour, words, 600)}</g></svg>
`
}

const widthOf = (words: string): number =>
  Math.ceil(
    Array.from(words).reduce((sum, one) => sum + (WIDTHS.find(([kind]) => kind.test(one))?.[1] ?? USUAL_WIDTH), 0),
  )

function cut(words: string): string {
  const characters = Array.from(words.replaceAll(/\p{C}/gu, ''))
  return characters.length <= MOST_LABEL ? characters.join('') : `${characters.slice(0, MOST_LABEL - 1).join('')}…`
}
