import { HTML_FONT } from './html-font.js'

/** The look of the HTML report: the application's own tokens and its font, light and dark. */
export const HTML_STYLE = `
@font-face { font-family: 'Archivo Variable'; font-weight: 100 900; src: url(data:font/woff2;base64,${HTML_FONT}) format('woff2') }
:root { --paper: #f3efe6; --sheet: #fbf9f4; --ink: #1c2a32; --soft: #5f6c74; --rule: #dad3c3; --lake: #0d5c66; --brick: #a93a2a; --ochre: #8a5606; --slate: #575c8c; --far: #9a9694 }
@media (prefers-color-scheme: dark) {
  :root { --paper: #131c21; --sheet: #182329; --ink: #e8e4d9; --soft: #a0aaad; --rule: #2f3c43; --lake: #5fb9bd; --brick: #e58472; --ochre: #e0b061; --slate: #a5abdc; --far: #78848a }
}
* { box-sizing: border-box }
body { margin: 0; background: var(--paper); color: var(--ink); font: 14px/1.45 'Archivo Variable', system-ui, sans-serif; font-variant-numeric: tabular-nums }
header, main { max-width: 1040px; margin: 0 auto; padding: 20px 24px }
header { border-bottom: 2px solid var(--ink) }
h1 { margin: 0 0 4px; font-size: 22px }
h2 { margin: 18px 0 6px; font-size: 15px }
p { margin: 2px 0; color: var(--soft) }
.verdict { padding: 1px 10px; border: 2px solid var(--ink); margin-right: 6px }
.open .verdict { border-color: var(--lake); color: var(--lake) }
.shut .verdict { background: var(--brick); border-color: var(--brick); color: var(--sheet) }
.void .verdict { border-style: dashed }
.stopped .verdict { border-style: dotted }
.reason { color: var(--ink); font-weight: 600 }
small { display: block; color: var(--soft); font-size: 12px }
table { width: 100%; border-collapse: collapse; background: var(--sheet) }
th, td { padding: 3px 9px; border-bottom: 1px solid var(--rule); text-align: left; vertical-align: top }
th { color: var(--soft); font-weight: 500 }
.number { text-align: right; white-space: nowrap }
code { font-size: 12px; overflow-wrap: anywhere }
.status { font-weight: 600; white-space: nowrap }
.status.breached { color: var(--brick) }
.status.held { color: var(--lake) }
.findings { padding-left: 0; list-style: none }
.findings > li { margin: 0 0 8px; padding-left: 10px; border-left: 3px solid var(--rule) }
.findings .problem { border-color: var(--brick) } .findings .warning { border-color: var(--ochre) }
.findings ul { margin: 2px 0; padding-left: 18px; color: var(--soft) }
figure { margin: 0 0 8px; padding: 6px 8px; background: var(--sheet) }
figcaption { color: var(--soft); font-size: 12px }
.key { margin-left: 10px }
.key::before { content: ''; display: inline-block; width: 14px; border-top: 2px solid currentColor; margin-right: 4px; vertical-align: middle }
.key.ink { color: var(--ink) } .key.lake { color: var(--lake) } .key.brick { color: var(--brick) } .key.ochre { color: var(--ochre) } .key.slate { color: var(--slate) } .key.far { color: var(--far) }
svg { display: block; width: 100%; height: auto }
.line { fill: none; stroke-width: 1.6; stroke: var(--ink); stroke-linejoin: round; stroke-linecap: round }
.line.lake { stroke: var(--lake) } .line.brick { stroke: var(--brick); stroke-width: 2.2 } .line.ochre { stroke: var(--ochre) }
.line.slate { stroke: var(--slate) } .line.far { stroke: var(--far); stroke-width: 1.2 } .line.dashed { stroke-dasharray: 5 3 }
.limit { stroke: var(--brick); stroke-width: 1.2; stroke-dasharray: 7 3 }
.axis, .border { stroke: var(--rule) }
.unmeasured { fill: var(--rule); opacity: .35 }
.tick, .phase { fill: var(--soft); font-size: 10px; text-anchor: end }
.phase { text-anchor: start } .middle { text-anchor: middle }
.cursor { stroke: var(--ink); stroke-width: 1 }
#readout { position: sticky; top: 0; min-height: 1.9em; padding: 3px 0; background: var(--paper); color: var(--ink) }
#charts:focus-visible { outline: 2px solid var(--ochre) }
@media print { body { background: #fff } section { break-inside: avoid } }
`
