// What makes the charts of the HTML report answer: plain JavaScript that runs in the reader's browser, loaded from
// nowhere.

/** Moves one cursor through all charts and says what stands under it. */
export const HTML_SCRIPT = `
const data = JSON.parse(document.getElementById('data').textContent)
const charts = [...document.querySelectorAll('svg.lane')]
const readout = document.getElementById('readout')
const left = data.left, width = data.width, seconds = data.atMs.length
let at = null
const clock = (ms) => Math.floor(ms / 60000) + ':' + String(Math.floor(ms / 1000) % 60).padStart(2, '0')
const show = (second) => {
  at = second
  for (const chart of charts) {
    const line = chart.querySelector('.cursor')
    line.setAttribute('x1', left + (width * (second + 0.5)) / seconds)
    line.setAttribute('x2', left + (width * (second + 0.5)) / seconds)
    line.style.display = second === null ? 'none' : ''
  }
  readout.textContent = second === null ? 'Point at a chart or use the arrow keys.' :
    clock(data.atMs[second]) + ' \\u00b7 ' + data.lines.map((line) => {
      const value = line.values[second]
      return line.name + ' ' + (value === null || value === undefined ? '\\u2013' : Math.round(value * 100) / 100 + line.unit)
    }).join(' \\u00b7 ')
}
for (const chart of charts) {
  chart.addEventListener('pointermove', (event) => {
    const box = chart.getBoundingClientRect()
    const x = ((event.clientX - box.left) / box.width) * data.view
    show(Math.max(0, Math.min(seconds - 1, Math.floor(((x - left) / width) * seconds))))
  })
}
document.getElementById('charts').addEventListener('keydown', (event) => {
  const step = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0
  if (step === 0) return
  event.preventDefault()
  show(Math.max(0, Math.min(seconds - 1, (at ?? -1) + step)))
})
show(null)
`
