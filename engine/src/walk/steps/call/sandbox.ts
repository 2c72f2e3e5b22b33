// One script in a sandbox: no file, no network, no process; its memory is its own and bounded by WebAssembly itself.
import {
  newQuickJSWASMModuleFromVariant,
  newVariant,
  RELEASE_SYNC,
  type QuickJSContext,
  type QuickJSHandle,
} from 'quickjs-emscripten'
import { transform } from 'sucrase'
import { CALL_MS, LOAD_MS, tooLong, type ScriptOutcome } from './sandbox-limits.js'

/** What a script may hold, and all that the sandbox around it may hold, in pages of 64 kB. */
const MEMORY_BYTES = 32_000_000
const [FIRST_PAGES, MOST_PAGES] = [256, 768]
const STACK_BYTES = 500_000
const MOST_RESULT = 1_000_000

export class Sandbox {
  /** Whether it can no longer be relied on: it ran out of memory or stack in the middle of something. */
  isSpent = false
  private invoke: QuickJSHandle | undefined
  private functions: QuickJSHandle | undefined
  private untilMs = 0
  private random: () => number = () => 0

  private constructor(
    private readonly file: string,
    private readonly context: QuickJSContext,
  ) {}

  /**
   * Makes a sandbox of a script.
   *
   * @throws Error with the reason, when the script cannot be read
   */
  static async of(file: string, script: string): Promise<Sandbox> {
    const wasmMemory = new WebAssembly.Memory({ initial: FIRST_PAGES, maximum: MOST_PAGES })
    const quickJs = await newQuickJSWASMModuleFromVariant(newVariant(RELEASE_SYNC, { wasmMemory }))
    const runtime = quickJs.newRuntime({
      memoryLimitBytes: MEMORY_BYTES,
      maxStackSizeBytes: STACK_BYTES,
      interruptHandler: () => performance.now() > sandbox.untilMs,
    })
    const sandbox = new Sandbox(file, runtime.newContext())
    sandbox.load(script)
    return sandbox
  }

  /**
   * Calls a function with one argument.
   *
   * @param argument - JSON text
   * @param random - what `Math.random` gives in this call
   */
  call(name: string, argument: string, random: () => number): ScriptOutcome {
    const { context, functions, invoke } = this
    if (functions === undefined || invoke === undefined) return this.failed('it was not loaded')
    this.untilMs = performance.now() + CALL_MS
    this.random = random
    const called = context.getProp(functions, name)
    const given = context.newString(argument)
    try {
      if (context.typeof(called) !== 'function') return this.failed(`it exports no function called ${name}`)
      const result = context.callFunction(invoke, context.undefined, called, given)
      if (result.error) return this.failed(this.wordsOf(result.error))
      const json = context.getString(result.value)
      result.value.dispose()
      return json.length > MOST_RESULT
        ? this.failed(`it returned more than ${String(MOST_RESULT)} characters`)
        : { kind: 'returned', json }
    } catch (error) {
      // The sandbox itself gave up.
      this.isSpent = true
      return this.failed(error instanceof Error ? error.message : String(error))
    } finally {
      if (!this.isSpent) {
        called.dispose()
        given.dispose()
      }
    }
  }

  /** Fails where it exports no function of a name. */
  look(name: string): ScriptOutcome {
    const { context, functions } = this
    if (functions === undefined) return this.failed('it was not loaded')
    const found = context.getProp(functions, name)
    const isFunction = context.typeof(found) === 'function'
    found.dispose()
    return isFunction ? { kind: 'returned', json: 'null' } : this.failed(`it exports no function called ${name}`)
  }

  private load(script: string): void {
    this.untilMs = performance.now() + LOAD_MS
    this.seedRandom()
    const plain = this.file.endsWith('.ts')
      ? transform(script, { transforms: ['typescript'], filePath: this.file }).code
      : script
    this.context.runtime.removeModuleLoader()
    this.functions = this.evaluate(plain, this.file, 'module')
    this.invoke = this.evaluate(
      '(call, argument) => { const made = call(JSON.parse(argument)); if (made instanceof Promise) throw new Error("async functions are not supported"); return JSON.stringify(made) ?? "null" }',
      'call.js',
      'global',
    )
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
    const message =
      typeof dumped === 'object' && dumped !== null && 'message' in dumped ? String(dumped.message) : String(dumped)
    this.isSpent ||= /out of memory|call stack|stack overflow/.test(message)
    if (!this.isSpent) error.dispose()
    if (message.includes('interrupted')) return tooLong
    return message.includes('out of memory')
      ? `it needs more than ${String(MEMORY_BYTES / 1e6)} MB`
      : message.slice(0, 300)
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
