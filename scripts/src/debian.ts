// Debian packages that the project stands on, installed when they are missing.
import { execFileSync, spawnSync } from 'node:child_process'

const PROGRAMS = {
  ...{ git: 'git', mariadbd: 'mariadb-server', chromium: 'chromium', fish: 'fish', zsh: 'zsh' },
  ...{ 'ssh-keygen': 'openssh-client', nginx: 'nginx-light', 'nats-server': 'nats-server' },
} as const
export type Program = keyof typeof PROGRAMS

/** Installs the packages of programs that are not there; says what to do when it may not. */
export function ensurePrograms(programs: readonly Program[]): void {
  const missing = programs.filter((program) => !isInstalled(program)).map((program) => PROGRAMS[program])
  if (missing.length === 0) return
  if (process.getuid?.() !== 0 || spawnSync('apt-get', ['--version']).status !== 0) {
    process.stderr.write(
      `These Debian packages are needed: ${missing.join(' ')}. Install them (apt-get install ${missing.join(' ')}) and try again.\n`,
    )
    process.exit(1)
  }
  process.stdout.write(`installing ${missing.join(', ')}\n`)
  const options = {
    stdio: ['ignore', 'ignore', 'inherit'] as ['ignore', 'ignore', 'inherit'],
    env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
  }
  execFileSync('apt-get', ['update', '-qq'], options)
  execFileSync('apt-get', ['install', '-y', '-qq', ...missing], options)
}

function isInstalled(program: Program): boolean {
  return spawnSync('sh', ['-c', `command -v ${program} || test -x /usr/sbin/${program}`]).status === 0
}
