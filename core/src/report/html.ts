// A result as one HTML file: offline, with charts that can be asked, light and dark; nothing is loaded from elsewhere.
import { verdictWords } from '../judge/verdict-words.js'
import { HTML_SCRIPT } from './html-script.js'
import { HTML_STYLE } from './html-style.js'
import type { RunResult } from '../judge/result-schema.js'
import { LEFT, lanesOf, laneSvg, stepLanesOf, VIEW, WIDTH } from './html-lanes.js'
import {
  failuresTable,
  findingsSection,
  gatesTable,
  generatorTable,
  journeysTable,
  phasesTable,
  slowestTable,
  networksTable,
  placesTable,
  stepsTable,
} from './html-tables.js'
import { text } from './html-text.js'
import { contextWords } from './result.js'

/** Writes a result as a page of its own. */
export function htmlOf(result: RunResult): string {
  const lanes = lanesOf(result)
  const data = {
    atMs: result.series.atMs,
    left: LEFT,
    width: WIDTH,
    view: VIEW,
    lines: lanes.flatMap((lane) => lane.lines.map(({ name, unit, values }) => ({ name, unit, values }))),
  }
  const { plan, target, verdict } = result
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'; script-src 'unsafe-inline'; img-src data:; font-src data:">
<title>${text(`${verdictWords(verdict)}: ${plan.name}`)}</title>
<style>${HTML_STYLE}</style>
</head>
<body>
<header class="${verdict}">
<h1><span class="verdict">${verdictWords(verdict)}</span> ${text(plan.name)}</h1>
<p>${text(target.name)}, ${text(target.origin)} · ${text(result.startedAt.slice(0, 19).replace('T', ' '))} UTC · ${text(plan.file)}${plan.commit === null ? '' : ` at ${text(plan.commit.slice(0, 8))}`} · seed ${String(plan.seed)}${plan.scale === 1 ? '' : ` · scale ${String(plan.scale)}`}${contextWords(
    result,
  )
    .map((words) => ` · ${text(words)}`)
    .join('')}</p>
${result.reasons.map((reason) => `<p class="reason">${text(reason)}</p>`).join('\n')}
${(result.notes ?? []).map((note) => `<p>note: ${text(note)}</p>`).join('\n')}
</header>
<main>
${gatesTable(result)}
${findingsSection(result)}
<section><h2>Over time</h2>
<p id="readout" role="status"></p>
<div id="charts" tabindex="0" aria-label="Charts of the run; arrow keys move the cursor">
${lanes.map((lane) => laneSvg(lane, result)).join('\n')}
</div></section>
${stepsTable(result)}
${placesTable(result)}
${networksTable(result)}
${stepCharts(result)}
${journeysTable(result)}
${phasesTable(result)}
${failuresTable(result)}
${slowestTable(result)}
${generatorTable(result)}
</main>
<script type="application/json" id="data">${JSON.stringify(data).replaceAll('<', '\\u003c')}</script>
<script>${HTML_SCRIPT}</script>
</body>
</html>
`
}

/** A small chart of each step, below the table that gives their figures. */
function stepCharts(result: RunResult): string {
  const lanes = stepLanesOf(result)
  if (lanes.length === 0) return ''
  return `<section><h2>Steps over time</h2>\n${lanes.map((lane) => laneSvg(lane, result)).join('\n')}</section>`
}
