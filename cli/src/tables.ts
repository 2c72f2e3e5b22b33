import Table from 'cli-table3'

const PLAIN = {
  top: '',
  'top-mid': '',
  'top-left': '',
  'top-right': '',
  bottom: '',
  'bottom-mid': '',
  'bottom-left': '',
  'bottom-right': '',
  left: '',
  'left-mid': '',
  mid: '',
  'mid-mid': '',
  right: '',
  'right-mid': '',
  middle: '  ',
}

/** A table for a terminal or a log; columns in `numbers` are aligned to the right. */
export function tableOf(head: string[], rows: string[][], numbers: number[], color: boolean): string {
  const table = new Table({
    head,
    chars: PLAIN,
    style: { 'padding-left': 0, 'padding-right': 0, head: color ? ['bold'] : [], border: [] },
    colAligns: head.map((_, column) => (numbers.includes(column) ? 'right' : 'left')),
  })
  table.push(...rows)
  return table
    .toString()
    .split('\n')
    .map((line) => line.trimEnd())
    .join('\n')
}
