// What the server tells of itself, as OpenMetrics.
import { collectDefaultMetrics, Counter, Gauge, Histogram, Registry } from 'prom-client'

export const FIGURES = new Registry<'application/openmetrics-text; version=1.0.0; charset=utf-8'>()
FIGURES.setContentType(Registry.OPENMETRICS_CONTENT_TYPE)
collectDefaultMetrics({ register: FIGURES })

export const REQUEST_SECONDS = new Histogram({
  name: 'jolt_gate_request_seconds',
  help: 'Time of requests to the application, by route and status',
  labelNames: ['method', 'route', 'status'],
  buckets: [0.005, 0.02, 0.1, 0.5, 2, 10],
  registers: [FIGURES],
})

export const RUNS_ENDED = new Counter({
  name: 'jolt_gate_runs_ended',
  help: 'Runs that ended since the server started, by verdict',
  labelNames: ['verdict'],
  registers: [FIGURES],
})

export const RUNS_QUEUED = new Gauge({
  name: 'jolt_gate_runs_queued',
  help: 'Runs that wait, the one under way not counted',
  registers: [FIGURES],
})

export const RUNS_UNDER_WAY = new Gauge({
  name: 'jolt_gate_runs_running',
  help: 'Runs that are made now',
  registers: [FIGURES],
})
