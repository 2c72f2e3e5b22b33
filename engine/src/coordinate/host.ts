// What the host and other programs take of this machine's processor, second by second, where the system tells.
import { readFile } from 'node:fs/promises'
import { monotonicMs } from '../clock/clock.js'

/** Shares of a second, of one processor on average. */
export interface HostReading {
  /** Taken by the host for other machines, or by a limit on this one. */
  steal: number
  /** In which some program was ready to run, and was not. */
  pressure: number
}

/** Totals since the machine started, in seconds. */
interface Totals {
  atMs: number
  processor: number
  stolen: number
  throttled: number
  waited: number
}

const EVERY_MS = 1000

/** Reads what Linux tells: /proc/stat (steal), the control group's cpu.stat (throttling), /proc/pressure/cpu. */
export class HostReader {
  private before: Totals | undefined
  private latest: HostReading = { steal: 0, pressure: 0 }
  private timer: NodeJS.Timeout | undefined

  start(): void {
    void this.read()
    this.timer = setInterval(() => void this.read(), EVERY_MS)
    this.timer.unref()
  }

  /** The reading of the last second; zeros where the system does not tell. */
  take(): HostReading {
    return this.latest
  }

  close(): void {
    clearInterval(this.timer)
  }

  private async read(): Promise<void> {
    const [stat, group, pressure] = await Promise.all(
      ['/proc/stat', '/sys/fs/cgroup/cpu.stat', '/proc/pressure/cpu'].map(textOf),
    )
    const now = totalsOf(stat ?? '', group ?? '', pressure ?? '')
    const { before } = this
    this.before = now
    if (before === undefined) return
    const seconds = (now.atMs - before.atMs) / 1000
    const shareOf = (part: number, all: number) => (all > 0 ? Math.min(1, Math.max(0, part / all)) : 0)
    const stolen = shareOf(now.stolen - before.stolen, now.processor - before.processor)
    this.latest = {
      steal: Math.max(stolen, shareOf(now.throttled - before.throttled, seconds)),
      pressure: shareOf(now.waited - before.waited, seconds),
    }
  }
}

async function textOf(path: string): Promise<string | undefined> {
  try {
    return await readFile(path, 'utf8')
  } catch {
    // Other systems have no such file, and some machines keep it shut.
    return undefined
  }
}

/** The sums in the texts of the three files; 0 where a text does not hold one. */
export function totalsOf(stat: string, group: string, pressure: string, atMs = monotonicMs()): Totals {
  // user nice system idle iowait irq softirq steal, in hundredths of a second; guest times are within user.
  const ticks = (/^cpu +(.+)$/m.exec(stat)?.[1] ?? '').split(' ').slice(0, 8).map(Number)
  const micros = (text: string, pattern: RegExp) => Number(pattern.exec(text)?.[1] ?? 0) / 1e6
  return {
    atMs,
    processor: ticks.reduce((sum, tick) => sum + tick, 0) / 100,
    stolen: (ticks[7] ?? 0) / 100,
    throttled: micros(group, /^throttled_usec (\d+)/m),
    waited: micros(pressure, /^some .*total=(\d+)/m),
  }
}
