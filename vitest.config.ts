import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vitest/config'

// Rooms are tested as their sources stand, never as they were last built.
const resolve = { conditions: ['jolt-gate-source', 'node'] }

interface Manner {
  /** Load is measured: one file at a time, so that tests do not disturb one another. */
  isAlone?: boolean
  timeoutMs?: number
  hasDom?: boolean
  /** Files share what they import: reading the server's sources, or the controls of the pages, takes seconds. */
  isTogether?: boolean
  except?: readonly string[]
}

/** Of the engine and the command what measures no time: it need not have the machine for itself. */
const UNTIMED = {
  engine: filesOf(
    'engine',
    'answers clock-meeting generator grpc held http iteration load network networks parts rehearsal reused-connection run-view sandbox sender standards steps streams traces undone',
  ),
  cli: filesOf('cli', 'admit cli exit-codes install otlp several'),
}
/** What a fleet does, and searches for a capacity: they wait for most of their time. */
const FLEET = {
  engine: filesOf('engine', 'fleet fleet-attacks fleet-faults fleet-watch'),
  cli: filesOf('cli', 'capacity fleet machines'),
}
/** The engine in simulated time. */
const SIMULATED = filesOf('engine', 'no-false-green')
function filesOf(room: string, names: string): string[] {
  return names.split(' ').map((name) => `${room}/test/${name}.test.ts`)
}

const SERVER: Manner = { isAlone: true, isTogether: true, timeoutMs: 180_000 }
const SECURITY = filesOf('server', 'security')
/** The command with a server beside it. */
const REPORTED = filesOf('cli', 'report')
const PIPELINES = filesOf('server', 'faults fleet kill pipelines several-targets side-doors stages webhooks')

const READING = ['accessibility', 'pages', 'pipeline', 'trend'].map((name) => `e2e/${name}.test.ts`)

const project = (
  name: string,
  include: string | readonly string[],
  { isAlone = false, timeoutMs = 20_000, hasDom = false, isTogether = false, except = [] }: Manner = {},
) => ({
  plugins: hasDom ? [vue()] : [],
  resolve,
  ssr: { resolve },
  test: {
    name,
    include: [include].flat(),
    exclude: ['**/node_modules/**', ...except],
    globalSetup: ['./vitest.setup.ts'],
    setupFiles: ['./vitest.seed.ts'],
    // Requests are no news of a test; and how somebody has set up their own Git is no matter of it.
    env: { JOLT_GATE_LOG: 'error', GIT_CONFIG_GLOBAL: '/dev/null', GIT_CONFIG_SYSTEM: '/dev/null' },
    environment: hasDom ? 'happy-dom' : 'node',
    testTimeout: timeoutMs,
    hookTimeout: 120_000,
    // Waits are for slow hosts: they cost nothing where things go well.
    expect: { poll: { timeout: 60_000 } },
    fileParallelism: !isAlone,
    isolate: !isTogether,
  },
})

export default defineConfig({
  test: {
    projects: [
      // What computes takes as long as the host lets it.
      project('core', 'core/test/**/*.test.ts', { isTogether: true, timeoutMs: 180_000 }),
      project('web', 'web/test/**/*.test.ts', { hasDom: true, isTogether: true, timeoutMs: 60_000 }),
      project('scripts', 'scripts/test/**/*.test.ts', { timeoutMs: 120_000 }),
      project('engine', 'engine/test/**/*.test.ts', {
        isAlone: true,
        isTogether: true,
        timeoutMs: 60_000,
        except: [...UNTIMED.engine, ...FLEET.engine, ...SIMULATED],
      }),
      project('engine-untimed', UNTIMED.engine, { isAlone: true, isTogether: true, timeoutMs: 180_000 }),
      project('engine-fleet', FLEET.engine, { isAlone: true, isTogether: true, timeoutMs: 180_000 }),
      // What it replaces is replaced for all that is imported there.
      project('engine-simulated', SIMULATED, { timeoutMs: 60_000 }),
      project('cli', 'cli/test/**/*.test.ts', {
        isAlone: true,
        timeoutMs: 60_000,
        except: [...UNTIMED.cli, ...FLEET.cli, ...REPORTED],
      }),
      project('cli-untimed', UNTIMED.cli, { isAlone: true, timeoutMs: 180_000 }),
      project('cli-fleet', FLEET.cli, { isAlone: true, timeoutMs: 180_000 }),
      project('server', 'server/test/**/*.test.ts', { ...SERVER, except: [...SECURITY, ...PIPELINES] }),
      // Beside the others: all take about as long then.
      project('security', SECURITY, SERVER),
      project('pipelines', PIPELINES, SERVER),
      project('reported', REPORTED, SERVER),
      // Two browsers at a time: each waits for most of its time.
      project('e2e-reading', READING, { isAlone: true, timeoutMs: 240_000 }),
      project('e2e', 'e2e/**/*.test.ts', { isAlone: true, timeoutMs: 240_000, except: READING }),
      // Speed is no matter of `npm test`: `npm run bench:pages`.
      project('pages-speed', 'bench/**/*.test.ts', { isAlone: true, timeoutMs: 240_000 }),
    ],
  },
})
