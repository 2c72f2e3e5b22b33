// How much of the processor the machine's host gave to others: by the kernel's count of stolen time (proc(5), cpu:
// user nice system idle iowait irq softirq steal), not by anything of ours.
import { readFileSync } from 'node:fs'

interface Times {
  stolen: number
  all: number
}

export function hostTimes(): Times {
  let line = ''
  try {
    line = readFileSync('/proc/stat', 'utf8').split('\n')[0] ?? ''
  } catch {
    // Elsewhere nothing is told.
  }
  const [user = 0, nice = 0, system = 0, idle = 0, iowait = 0, irq = 0, softirq = 0, steal = 0] = line
    .split(/\s+/)
    .slice(1)
    .map(Number)
  return { stolen: steal, all: user + nice + system + idle + iowait + irq + softirq + steal }
}

/** The share of what was wanted that others got since; what was idle was not wanted. NaN where nothing is told. */
export function stolenShare(before: Times): number {
  const now = hostTimes()
  return (now.stolen - before.stolen) / (now.all - before.all)
}
