// The pages that name tests must not name one that is not there.
import { existsSync, readFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { describe, expect, it } from 'vitest'

const root = fileURLToPath(new URL('../../', import.meta.url))

/** The last two cells of each row of a page's tables: a file and a test in it. */
const rowsOf = (page: string) =>
  readFileSync(`${root}docs/${page}`, 'utf8')
    .split('\n')
    .flatMap((line) => {
      const [, what, file, test] = /^\| (.*) \| `([^`]+)` \| (.*) \|$/.exec(line) ?? []
      return what === undefined || file === undefined || test === undefined
        ? []
        : [{ what, file, test: test.replaceAll('\\|', '|') }]
    })

describe('the map of', () => {
  it.each([
    ['the format', 'format-tests.md', 80],
    ['failures', 'no-false-green.md', 60],
  ])('%s names tests that are there', (_, page, least) => {
    const rows = rowsOf(page)
    const missing = rows.filter(
      ({ file, test }) => !existsSync(root + file) || !readFileSync(root + file, 'utf8').includes(test),
    )

    expect(rows.length).toBeGreaterThan(least)
    expect(missing).toEqual([])
  })
})
