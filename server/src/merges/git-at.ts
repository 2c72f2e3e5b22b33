// Git, asked where a repository is: also of what a push brings, before any branch has moved to it.
import { execFile } from 'node:child_process'
import { promisify } from 'node:util'
import { GIT_ENVIRONMENT } from '../projects/git-environment.js'

const run = promisify(execFile)
const WITHIN_MS = 60_000
const MOST_SAID = 20_000_000

/** Runs one command of Git, and gives what it says without blanks around it; rejects where it fails. */
export interface Git {
  (...words: string[]): Promise<string>
  /** The same, byte for byte. */
  whole: (...words: string[]) => Promise<string>
}

/**
 * @param root - of the repository
 * @param more - environment, such as where a push keeps its objects until it is taken (git-receive-pack(1))
 */
export function gitAt(root: string, more: Record<string, string> = {}): Git {
  const whole: Git['whole'] = async (...words) => {
    const { stdout } = await run('git', words, {
      ...{ cwd: root, timeout: WITHIN_MS, maxBuffer: MOST_SAID },
      env: {
        PATH: process.env['PATH'] ?? '',
        HOME: process.env['HOME'] ?? '',
        ...GIT_ENVIRONMENT,
        LC_ALL: 'C',
        ...more,
      },
    })
    return stdout
  }
  return Object.assign(async (...words: string[]) => (await whole(...words)).trim(), { whole })
}
