// Functions of the repository's scripts, in a sandbox: no file, no network, no process; memory and time are bounded.
import type { QuickJSContext, QuickJSHandle, QuickJSWASMModule } from 'quickjs-emscripten'
import { monotonicMs } from '../../clock/clock.js'
import type { ScriptCall } from '../../compile/program.js'

const MEMORY_BYTES = 32_000_000
const STACK_BYTES = 500_000
/** A call that lasts longer holds up every other user of its thread. */
const CALL_MS = 250
const LOAD_MS = 2000
const MOST_RESULT = 1_000_000

export type ScriptOutcome = { kind: 'returned'; json: string } | { kind: 'failed'; detail: string }

interface Tools {
  quickJs: QuickJSWASMModule
  /** TypeScript without its types. */
  plain: (file: string, script: string) => string
}
let tools: Tools | undefined

/** Loads the sandbox, which most plans never need; must have ended before the first call. */
export async function prepareScripts(): Promise<void> {
  if (tools !== undefined) return
  const [{ getQuickJS }, { transform }] = await Promise.all([import('quickjs-emscripten'), import('sucrase')])
  const plain = (file: string, script: string) =>
    file.endsWith('.ts') ? transform(script, { transforms: ['typescript'], filePath: file }).code : script
  tools = { quickJs: await getQuickJS(), plain }
}

/** The scripts of one thread, each in a sandbox of its own. */
export class Scripts {
  private readonly sandboxes = new Map<string, Sandbox>()

  /**
   * Calls a function with one argument.
   *
   * @param argument - JSON text
   * @param random - what `Math.random` gives in this call
   */
  call({ file, script, name }: ScriptCall, argument: string, random: () => number): ScriptOutcome {
    let sandbox = this.sandboxes.get(file)
    if (sandbox === undefined || sandbox.isSpent) {
      sandbox?.dispose()
      try {
        sandbox = new Sandbox(file, script)
      } catch (error) {
        return { kind: 'failed', detail: error instanceof Error ? error.message : String(error) }
      }
      this.sandboxes.set(file, sandbox)
    }
    try {
      return sandbox.call(name, argument, random)
    } catch (error) {
      // The sandbox itself gave up: what it holds can no longer be trusted.
      sandbox.isSpent = true
      return { kind: 'failed', detail: `${file}: ${error instanceof Error ? error.message : String(error)}` }
    }
  }

  close(): void {
    for (const sandbox of this.sandboxes.values()) sandbox.dispose()
    this.sandboxes.clear()
  }
}

class Sandbox {
  /** A sandbox that ran out of memory is not used again. */
  isSpent = false
  private readonly context: QuickJSContext
  private readonly invoke: QuickJSHandle
  private readonly functions: QuickJSHandle
  private untilMs = 0
  private random: () => number = () => 0

  constructor(
    private readonly file: string,
    script: string,
  ) {
    if (tools === undefined) throw new Error('the sandbox is not prepared')
    const runtime = tools.quickJs.newRuntime({
      memoryLimitBytes: MEMORY_BYTES,
      maxStackSizeBytes: STACK_BYTES,
      interruptHandler: () => monotonicMs() > this.untilMs,
    })
    this.context = runtime.newContext()
    this.context.runtime.removeModuleLoader()
    this.untilMs = monotonicMs() + LOAD_MS
    this.seedRandom()
    this.functions = this.evaluate(tools.plain(file, script), file, 'module')
    this.invoke = this.evaluate(
      '(call, argument) => { const made = call(JSON.parse(argument)); if (made instanceof Promise) throw new Error("async functions are not supported"); return JSON.stringify(made) ?? "null" }',
      'call.js',
      'global',
    )
  }

  call(name: string, argument: string, random: () => number): ScriptOutcome {
    const { context } = this
    this.untilMs = monotonicMs() + CALL_MS
    this.random = random
    const called = context.getProp(this.functions, name)
    const given = context.newString(argument)
    try {
      if (context.typeof(called) !== 'function') return this.failed(`it exports no function called ${name}`)
      const result = context.callFunction(this.invoke, context.undefined, called, given)
      if (result.error) return this.failed(this.wordsOf(result.error))
      const json = context.getString(result.value)
      result.value.dispose()
      return json.length > MOST_RESULT
        ? this.failed(`it returned more than ${String(MOST_RESULT)} characters`)
        : { kind: 'returned', json }
    } finally {
      called.dispose()
      given.dispose()
    }
  }

  dispose(): void {
    for (const handle of [this.invoke, this.functions]) if (handle.alive) handle.dispose()
    const { runtime } = this.context
    try {
      this.context.dispose()
      runtime.dispose()
    } catch {
      // A sandbox that ran out of memory in the middle of a call may not be able to clear up; its memory goes with it.
    }
  }

  private evaluate(code: string, name: string, type: 'module' | 'global'): QuickJSHandle {
    const result = this.context.evalCode(code, name, { type })
    if (!result.error) return result.value
    throw new Error(this.failed(this.wordsOf(result.error)).detail)
  }

  private failed(detail: string): Extract<ScriptOutcome, { kind: 'failed' }> {
    return { kind: 'failed', detail: `${this.file}: ${detail}` }
  }

  private wordsOf(error: QuickJSHandle): string {
    const dumped: unknown = this.context.dump(error)
    error.dispose()
    const message =
      typeof dumped === 'object' && dumped !== null && 'message' in dumped ? String(dumped.message) : String(dumped)
    if (message.includes('interrupted')) return `it ran longer than ${String(CALL_MS)} ms`
    if (!message.includes('out of memory')) return message.slice(0, 300)
    this.isSpent = true
    return `it needs more than ${String(MEMORY_BYTES / 1e6)} MB`
  }

  private seedRandom(): void {
    const { context } = this
    const random = context.newFunction('random', () => context.newNumber(this.random()))
    const math = context.getProp(context.global, 'Math')
    context.setProp(math, 'random', random)
    math.dispose()
    random.dispose()
  }
}
