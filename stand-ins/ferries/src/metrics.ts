// The service's readings as OpenMetrics text (OpenMetrics 1.0).
import type { WorkPool } from './work-pool.js'

export const METRICS_TYPE = 'application/openmetrics-text; version=1.0.0; charset=utf-8'

export class Metrics {
  private readonly requests = new Map<string, number>()

  count(route: string, status: number): void {
    const key = `route="${route}",status="${String(status)}"`
    this.requests.set(key, (this.requests.get(key) ?? 0) + 1)
  }

  write(pool: WorkPool, holds: number, connections: { open: number; most: number }): string {
    const lines = [
      '# TYPE ferries_requests counter',
      '# HELP ferries_requests Requests answered, by route and status.',
      ...[...this.requests].map(([labels, count]) => `ferries_requests_total{${labels}} ${String(count)}`),
      '# TYPE ferries_pool_busy gauge',
      '# HELP ferries_pool_busy Places of work in use.',
      `ferries_pool_busy ${String(pool.busy)}`,
      '# TYPE ferries_pool_places gauge',
      `ferries_pool_places ${String(pool.places)}`,
      '# TYPE ferries_pool_queued gauge',
      '# HELP ferries_pool_queued Requests that wait for a place.',
      `ferries_pool_queued ${String(pool.queued)}`,
      '# TYPE ferries_holds gauge',
      `ferries_holds ${String(holds)}`,
      '# TYPE ferries_connections gauge',
      '# HELP ferries_connections Connections to the database that are open.',
      `ferries_connections ${String(connections.open)}`,
      '# TYPE ferries_connections_most gauge',
      `ferries_connections_most ${String(connections.most)}`,
      '# TYPE process_resident_memory_bytes gauge',
      '# UNIT process_resident_memory_bytes bytes',
      `process_resident_memory_bytes ${String(process.memoryUsage.rss())}`,
      '# EOF',
    ]
    return `${lines.join('\n')}\n`
  }
}
