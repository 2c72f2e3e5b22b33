// Whether a target's endpoints know the families that its metrics are taken from.
import { familiesOf, nearestWord, type Metric } from '@jolt-gate/core'
import { fetchPage } from './metric-reader.js'

/** A metric that is not to be had, in words. */
export interface MetricFault {
  metric: string
  /** Whether its endpoint answers and has no such family; else nothing could be read there. */
  isUnknown: boolean
  words: string
}

/**
 * Reads the endpoint of each metric once.
 *
 * @param permitted - origins that may be reached; others are not asked
 */
export async function metricFaults(
  metrics: readonly Metric[],
  origin: string,
  permitted: ReadonlySet<string>,
): Promise<MetricFault[]> {
  const urls = new Map(metrics.map((metric) => [metric.name, new URL(metric.url, origin)]))
  const asked = [...new Set([...urls.values()].filter((url) => permitted.has(url.origin)).map(({ href }) => href))]
  const pages = new Map(await Promise.all(asked.map(async (href) => [href, await fetchPage(href)] as const)))
  return metrics.flatMap(({ name, family, as }): MetricFault[] => {
    const href = urls.get(name)?.href ?? ''
    const page = pages.get(href)
    if (page === undefined)
      return [{ metric: name, isUnknown: false, words: `the metric "${name}" could not be read at ${href}` }]
    const known = familiesOf(page)
    const missing = [family, ...(as.kind === 'ratio' ? [as.of] : [])].find((one) => !known.includes(one))
    if (missing === undefined) return []
    const meant = nearestWord(missing, known)
    const hint = meant === undefined ? '' : `. Did you mean "${meant}"?`
    return [{ metric: name, isUnknown: true, words: `the metric "${name}": ${href} has no family "${missing}"${hint}` }]
  })
}
