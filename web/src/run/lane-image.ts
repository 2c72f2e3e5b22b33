// A lane as a picture to paste elsewhere: its chart on the paper of the page, with its name and what it says.

export interface LaneWords {
  title: string
  note: string
  /** The words at its right end. */
  caption: string
  /** Which run it is of. */
  run: string
}

const HEAD = 46
const EDGE = 12

/** Draws the lane from its layers: the chart first, then what lies behind it. Sizes are those of the screen. */
export function laneImage(
  layers: readonly [HTMLCanvasElement, ...HTMLCanvasElement[]],
  { title, note, caption, run }: LaneWords,
): HTMLCanvasElement {
  const [chart] = layers
  const image = document.createElement('canvas')
  const scale = chart.width / Math.max(1, chart.clientWidth)
  image.width = chart.width + 2 * EDGE * scale
  image.height = chart.height + (HEAD + EDGE) * scale
  const context = image.getContext('2d')
  if (context === null) return image
  const styles = getComputedStyle(chart)
  const token = (name: string) => styles.getPropertyValue(`--${name}`).trim()
  context.fillStyle = token('paper')
  context.fillRect(0, 0, image.width, image.height)
  context.scale(scale, scale)
  const say = (words: string, x: number, y: number, color: string, font: string, align: CanvasTextAlign) => {
    Object.assign(context, {
      fillStyle: token(color),
      font: `${font} 'Archivo Variable', sans-serif`,
      textAlign: align,
    })
    context.fillText(words, x, y)
  }
  const right = chart.clientWidth + EDGE
  say(title, EDGE, 19, 'ink', '650 14px', 'left')
  say(note, EDGE, 36, 'soft', '12px', 'left')
  say(run, right, 19, 'soft', '12px', 'right')
  say(caption, right, 36, 'ink', '12px', 'right')
  for (const layer of layers.toReversed()) context.drawImage(layer, EDGE, HEAD, chart.clientWidth, chart.clientHeight)
  return image
}

/** Saves a picture as a file. */
export function savePng(image: HTMLCanvasElement, name: string): void {
  const link = document.createElement('a')
  link.href = image.toDataURL('image/png')
  link.download = `${name}.png`
  link.click()
}
