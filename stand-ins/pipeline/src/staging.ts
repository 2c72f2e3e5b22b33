// The staging environment: the version that was deployed last answers until another takes its place, so that a stage
// can be run from the page, too.
import { createInterface } from 'node:readline'
import { execa } from 'execa'

export class Staging {
  private stop: (() => Promise<void>) | undefined

  /**
   * @param ferries - the ferry service, as arguments of Node
   * @param port - where it answers
   */
  constructor(
    private readonly ferries: readonly string[],
    private readonly port: number,
  ) {}

  /** Puts the service with these flaws in the place of the one before; ready when it answers. */
  async deploy(flaws: string): Promise<void> {
    await this.stop?.()
    const child = execa(process.execPath, [...this.ferries, '--port', String(this.port), '--flaws', flaws], {
      stdin: 'ignore',
      stderr: 'inherit',
      reject: false,
      buffer: false,
      ipc: true,
    })
    this.stop = async () => {
      child.kill('SIGTERM')
      await child
    }
    await new Promise<void>((resolve, reject) => {
      const lines = createInterface({ input: child.stdout })
      lines.on('line', (line) => {
        if (line.includes('answers at')) resolve()
      })
      lines.once('close', () => {
        reject(new Error('the service did not start in staging'))
      })
    })
  }
}
