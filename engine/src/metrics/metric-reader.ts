// Metrics: what a target, or something beside it, tells of itself each second while the load lasts.
import { request } from 'undici'
import { familyValue, MOST_PAGE_CHARACTERS, parseMetricPage, type MetricPage, type Metric } from '@jolt-gate/core'
import { monotonicMs } from '../clock/clock.js'
import { GUARDED } from '../network/way-out.js'

const WITHIN_MS = 800
/** Pages are read in the middle of a second, so that they are there when its bucket is. */
const OFFSET_MS = 500

interface Before {
  atMs: number
  value: number
}

/** Reads the pages of some metrics each second, and keeps what they said by the second of the load. */
export class MetricReader {
  private readonly bySecond = new Map<number, (number | null)[]>()
  private readonly before = new Map<string, Before>()
  private timer: NodeJS.Timeout | undefined
  private second = 0

  /**
   * @param permitted - origins that may be reached; a metric elsewhere reads nothing
   */
  constructor(
    private readonly metrics: readonly Metric[],
    private readonly origin: string,
    private readonly permitted: ReadonlySet<string>,
  ) {}

  start(startMs: number): void {
    if (this.metrics.length > 0) this.plan(startMs)
  }

  close(): void {
    clearTimeout(this.timer)
    this.timer = undefined
    this.isClosed = true
  }

  private isClosed = false

  /** What was read in a second; nulls where nothing was. */
  take(second: number): (number | null)[] {
    const read = this.bySecond.get(second)
    this.bySecond.delete(second)
    return read ?? this.metrics.map(() => null)
  }

  private plan(startMs: number): void {
    const dueMs = startMs + 1000 * this.second + OFFSET_MS
    this.timer = setTimeout(
      () => {
        const second = this.second
        void this.read(second)
        this.second = Math.max(second + 1, Math.ceil((monotonicMs() - startMs - OFFSET_MS) / 1000))
        if (!this.isClosed) this.plan(startMs)
      },
      Math.max(0, dueMs - monotonicMs()),
    )
    this.timer.unref()
  }

  private async read(second: number): Promise<void> {
    const urls = new Set(this.metrics.map((metric) => this.urlOf(metric)))
    const pages = new Map<string, MetricPage>()
    await Promise.all(
      [...urls].map(async (url) => {
        const page = url === undefined ? undefined : await fetchPage(url)
        if (url !== undefined && page !== undefined) pages.set(url, page)
      }),
    )
    const values = this.metrics.map((metric) => {
      const page = pages.get(this.urlOf(metric) ?? '')
      return page === undefined ? null : this.valueOf(metric, page)
    })
    if (!this.isClosed) this.bySecond.set(second, values)
  }

  private urlOf(metric: Metric): string | undefined {
    const url = new URL(metric.url, this.origin)
    return this.permitted.has(url.origin) ? url.href : undefined
  }

  private valueOf(metric: Metric, page: MetricPage): number | null {
    const { as, family, labels, name } = metric
    const read = familyValue(page, family, labels)
    if (read === undefined) return null
    if (as.kind === 'ratio') {
      const whole = familyValue(page, as.of, labels)
      if (whole === undefined) return null
      const part = read.isCounter ? this.increase(`${name} part`, read.value) : read
      const all = whole.isCounter ? this.increase(`${name} all`, whole.value) : whole
      return part === undefined || all === undefined || all.value === 0 ? null : part.value / all.value
    }
    if (as.kind === 'value' || (as.kind === 'by type' && !read.isCounter)) return read.value
    const grown = this.increase(name, read.value)
    return grown === undefined || grown.seconds === 0 ? null : grown.value / grown.seconds
  }

  /** By how much a counter grew since it was last read; a counter that fell began again at 0. */
  private increase(key: string, value: number): { value: number; seconds: number } | undefined {
    const atMs = monotonicMs()
    const before = this.before.get(key)
    this.before.set(key, { atMs, value })
    if (before === undefined) return undefined
    return { value: value >= before.value ? value - before.value : value, seconds: (atMs - before.atMs) / 1000 }
  }
}

/** The page at an address; undefined where it cannot be read. */
export async function fetchPage(url: string): Promise<MetricPage | undefined> {
  try {
    const { statusCode, body } = await request(url, {
      dispatcher: GUARDED,
      headersTimeout: WITHIN_MS,
      bodyTimeout: WITHIN_MS,
      signal: AbortSignal.timeout(WITHIN_MS),
      headers: { accept: 'application/openmetrics-text; version=1.0.0, text/plain; q=0.5' },
    })
    let text = ''
    for await (const chunk of body) {
      text += String(chunk)
      if (text.length > MOST_PAGE_CHARACTERS) return undefined
    }
    const reading = statusCode === 200 ? parseMetricPage(text) : undefined
    return reading?.ok === true ? reading.page : undefined
  } catch {
    // A metric that cannot be read leaves a gap in its series; the run continues.
    return undefined
  }
}
