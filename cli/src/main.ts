// The command: verbs and options. What a verb does is loaded only when it is called, so that the command starts at once.
import { Argument, Command, CommanderError, InvalidArgumentError, Option } from 'commander'
import { EXIT, UsageError } from './errors.js'
import { TOOL_VERSION } from './version.js'

const program = new Command('jolt-gate')
  .description('Load tests as text: check a plan, preview its load, rehearse it, run it, and obey the verdict.')
  .version(TOOL_VERSION)
  .option('--quiet', 'say nothing but errors and the verdict')
  .option('--no-color', 'no colours (NO_COLOR does the same)')
  .exitOverride()
  .showHelpAfterError('(add --help for what is possible)')
  .addHelpText(
    'after',
    `
Examples:
  jolt-gate check plans/*.gate.yaml
  jolt-gate rehearse plans/summer.gate.yaml --journey "book a place"
  jolt-gate run plans/summer.gate.yaml --baseline main.json --json result.json --html report.html
  jolt-gate run http://127.0.0.1:7710/health --rate 5/s --for 30s

Exit codes: 0 open, 1 shut, 2 plan or option wrong, 3 void, 4 stopped, 5 a fault of Jolt Gate.`,
  )

const target = () =>
  new Option('--target <name or url>', "stands in for the plan's target: a file in targets/, or an origin")
const set = () =>
  new Option('--set <name=value>', 'a value in place of the plan’s or the target’s (repeatable; not for secrets)')
    .argParser(collectValue)
    .default({})
const seed = () => new Option('--seed <number>', 'in place of the plan’s seed').argParser(wholeNumber)
const scale = () =>
  new Option('--scale <factor>', 'multiplies rates, starts, users and caps').argParser(positive).default(1)
const json = () => new Option('--json <file>', 'write it as JSON; - is standard output')

program
  .command('check')
  .description('is the file right? errors with line and column; nothing is sent')
  .argument('<plan...>', 'plan files, NAME.gate.yaml')
  .addOption(target())
  .addHelpText('after', '\nExample:\n  jolt-gate check plans/*.gate.yaml')
  .action(async (files: string[], options: { target?: string }) => {
    const { check } = await import('./check.js')
    process.exitCode = check(files, options, outputOf())
  })

program
  .command('preview')
  .description('what a plan would send: phases, arrivals, users in flight, length; warnings')
  .argument('<plan>', 'plan file')
  .addOption(target())
  .addOption(scale())
  .option('--last <file.json>', 'an earlier result or rehearsal, for the users in flight (Little’s law)')
  .addOption(json())
  .addHelpText('after', '\nExample:\n  jolt-gate preview plans/summer.gate.yaml --last result.json')
  .action(async (file: string, options: PreviewArguments) => {
    const { preview } = await import('./preview.js')
    process.exitCode = preview(file, options, outputOf())
  })

program
  .command('rehearse')
  .description('one user, one pass of each journey; every request and response, secrets masked')
  .argument('<plan>', 'plan file')
  .option('--journey <name>', 'one journey alone')
  .addOption(target())
  .addOption(set())
  .addOption(seed())
  .addOption(json())
  .addHelpText('after', '\nExample:\n  jolt-gate rehearse plans/summer.gate.yaml --journey "book a place"')
  .action(async (file: string, options: RehearseArguments) => {
    const { rehearse } = await import('./rehearse.js')
    process.exitCode = await rehearse(file, options, outputOf())
  })

program
  .command('run')
  .description('make the load; the verdict is the exit code')
  .argument('<plan or url>', 'plan file, or a URL to be sent GET requests')
  .addOption(target())
  .addOption(set())
  .addOption(seed())
  .addOption(scale())
  .option('--baseline <result.json>', 'the result that gates "of baseline" are held to')
  .addOption(json())
  .option('--junit <file>', 'write JUnit XML')
  .option('--markdown <file>', 'write Markdown')
  .option('--html <file>', 'write one HTML page with charts, which needs nothing else')
  .option('--csv <file>', 'write the series, a row a second')
  .option('--rate <rate>', 'of a URL: arrivals, such as 5/s')
  .option('--for <duration>', 'of a URL: how long, such as 30s')
  .option('--users <number>', 'of a URL: users at once', wholeNumber)
  .option('--passes <number>', 'of a URL: requests of each user', wholeNumber)
  .addHelpText(
    'after',
    `
Examples:
  jolt-gate run plans/smoke.gate.yaml --json result.json --junit junit.xml
  jolt-gate run plans/summer.gate.yaml --scale 0.1 --html report.html
  jolt-gate run http://127.0.0.1:7710/health --users 10 --passes 20`,
  )
  .action(async (file: string, options: RunArguments) => {
    const { run } = await import('./run.js')
    process.exitCode = await run(file, options, outputOf())
  })

program
  .command('compare')
  .description('two results, step by step and gate by gate: what changed, and is it significant?')
  .argument('<baseline.json>', 'the result that went before')
  .argument('<result.json>', 'the result to be compared')
  .addOption(json())
  .option('--markdown <file>', 'write Markdown')
  .addHelpText('after', '\nExample:\n  jolt-gate compare main.json result.json --markdown comparison.md')
  .action(async (before: string, after: string, options: { json?: string; markdown?: string }) => {
    const { compare } = await import('./compare.js')
    process.exitCode = compare(before, after, options, outputOf())
  })

program
  .command('import')
  .description('write a plan from a recording (HAR 1.2), OpenAPI 3, WSDL 1.1, a command line of curl, or a URL')
  .argument('<what>', 'a file, a URL, a command line of curl in quotes, or - for standard input')
  .option('--name <name>', 'the name of the plan')
  .option('--folder <folder>', 'the repository to write into', '.')
  .option('--force', 'write over files that are there', false)
  .option('--origins <origins>', 'of a recording: the origins to take, with commas between', listed)
  .addOption(
    new Option('--waits <waits>', 'of a recording: its pauses')
      .choices(['kept', 'rounded', 'around', 'none'])
      .default('around'),
  )
  .option('--no-by-page', 'of a recording: no groups by page')
  .option('--origin <origin>', 'of a description: where the service answers')
  .option('--operations <operations>', 'of a description: those to call, in order, with commas between', listed)
  .addHelpText(
    'after',
    `
Examples:
  jolt-gate import visit.har --name "Book a place" --waits rounded
  jolt-gate import api.openapi.yaml --origin http://127.0.0.1:7710 --operations "GET /sailings,POST /holds"
  jolt-gate import "curl -u me:secret http://127.0.0.1:7710/health"`,
  )
  .action(async (what: string, options: ImportArguments) => {
    const { importPlan } = await import('./import.js')
    process.exitCode = importPlan(what, options, outputOf())
  })

program
  .command('calibrate')
  .description('what this machine can send, how late, and how exactly it times')
  .addOption(json())
  .action(async (options: { json?: string }) => {
    const { calibrateMachine } = await import('./calibrate.js')
    process.exitCode = await calibrateMachine(options, outputOf())
  })

program
  .command('load')
  .description('write a ready-made load section: smoke, typical, stress, spike or soak')
  .addArgument(
    new Argument('<kind>', 'what it is to find out').choices(['smoke', 'typical', 'stress', 'spike', 'soak']),
  )
  .option('--usual <rate or users>', 'of an ordinary day: 5/s, or 20 users', '1/s')
  .option('--peak <rate or users>', 'of stress and spike; by default three times the usual')
  .option('--for <duration>', 'length of the whole load', '10m')
  .addHelpText('after', '\nExample:\n  jolt-gate load spike --usual 5/s --peak 40/s --for 10m')
  .action(async (kind: string, options: { usual: string; peak?: string; for: string }) => {
    const { writeLoad } = await import('./load.js')
    process.exitCode = writeLoad(kind, options)
  })

program
  .command('completion')
  .description('a script that completes verbs and options in a shell')
  .addArgument(new Argument('<shell>').choices(['bash', 'zsh', 'fish']))
  .addHelpText('after', '\nExample:\n  jolt-gate completion bash >> ~/.bashrc')
  .action(async (shell: string) => {
    const { completionOf } = await import('./completion.js')
    process.stdout.write(completionOf(shell, program))
  })

export interface PreviewArguments {
  target?: string
  scale: number
  last?: string
  json?: string
}

export interface RehearseArguments {
  journey?: string
  target?: string
  set: Record<string, string>
  seed?: number
  json?: string
}

export interface ImportArguments {
  name?: string
  folder: string
  force: boolean
  origins?: string[]
  waits: string
  byPage: boolean
  origin?: string
  operations?: string[]
}

export interface RunArguments {
  target?: string
  set: Record<string, string>
  seed?: number
  scale: number
  baseline?: string
  json?: string
  junit?: string
  markdown?: string
  html?: string
  csv?: string
  rate?: string
  for?: string
  users?: number
  passes?: number
}

export interface Output {
  quiet: boolean
  color: boolean
}

function outputOf(): Output {
  const { quiet, color: wanted } = program.opts<{ quiet?: boolean; color: boolean }>()
  // Colours are for a person's terminal alone.
  const color = wanted && process.env['NO_COLOR'] === undefined && isTerminal(process.stdout)
  return { quiet: quiet === true, color }
}

/** `isTTY` is not there at all in a pipeline, though its type does not say so. */
function isTerminal(stream: { isTTY?: boolean }): boolean {
  return stream.isTTY === true
}

function collectValue(pair: string, before: Record<string, string>): Record<string, string> {
  const [, name, value] = /^([A-Za-z0-9_]+)=(.*)$/s.exec(pair) ?? []
  if (name === undefined || value === undefined) throw new InvalidArgumentError('write it as name=value')
  return { ...before, [name]: value }
}

function listed(text: string): string[] {
  return text
    .split(',')
    .map((part) => part.trim())
    .filter((part) => part !== '')
}

function wholeNumber(text: string): number {
  const value = Number(text)
  if (!/^\d+$/.test(text) || !Number.isSafeInteger(value)) throw new InvalidArgumentError('it must be a whole number')
  return value
}

function positive(text: string): number {
  const value = Number(text)
  if (!(value > 0 && value <= 1000)) throw new InvalidArgumentError('it must be a number above 0, such as 0.1')
  return value
}

try {
  await program.parseAsync()
} catch (error) {
  if (error instanceof CommanderError) process.exitCode = error.exitCode === 0 ? 0 : EXIT.usage
  else if (error instanceof UsageError) {
    process.stderr.write(`${error.message}\n`)
    process.exitCode = EXIT.usage
  } else {
    process.stderr.write(
      `A fault of Jolt Gate: ${error instanceof Error ? (error.stack ?? error.message) : String(error)}\n`,
    )
    process.exitCode = EXIT.fault
  }
}
