// The command: verbs and options. What a verb does is loaded only when it is called, so that the command starts at
// once.
import { Argument, Command, CommanderError, InvalidArgumentError, Option } from 'commander'
import type { CompareOptions } from './compare.js'
import { EXIT, UsageError } from './errors.js'
import type { GenerateArguments } from './fleet.js'
import type {
  AdmitArguments,
  CapacityArguments,
  ImportArguments,
  Output,
  PreviewArguments,
  RehearseArguments,
  RunArguments,
  ValidateArguments,
} from './options.js'
import { nodeFault, VERSION } from '@jolt-gate/core/identity'
import { LABEL_WORDS, MOST_LABELS, readLabel } from '@jolt-gate/core/labels'

const tooOld = nodeFault(process.versions.node)
if (tooOld !== undefined) {
  process.stderr.write(`${tooOld}\n`)
  process.exit(EXIT.usage)
}

const program = new Command('jolt-gate')
  .description(
    'Load tests as text: validate a plan, preview its load, rehearse it, run it; the verdict is the exit code.',
  )
  .version(VERSION)
  .option('--quiet', 'print errors and the verdict only')
  .option('--no-color', 'no colors (NO_COLOR does the same)')
  .exitOverride()
  .showHelpAfterError('(--help lists what is possible)')
  .addHelpText(
    'after',
    `
Examples:
  jolt-gate validate plans/*.gate.yaml
  jolt-gate rehearse plans/summer.gate.yaml --journey "book a place"
  jolt-gate run plans/summer.gate.yaml --baseline main.json --json result.json --html report.html
  jolt-gate run http://127.0.0.1:7710/health --rate 5/s --for 30s

Exit codes: 0 open, 1 shut, 2 plan or option wrong, 3 void, 4 stopped, 5 internal error.`,
  )

const target = () =>
  new Option('--target <name or url>', "use this target instead of the plan's: a name in targets/, or an origin")
const set = () =>
  new Option('--set <name=value>', 'override a value of the plan or the target (repeatable; not for secrets)')
    .argParser(collectValue)
    .default({})
const seed = () => new Option('--seed <number>', 'override the seed of the plan').argParser(wholeNumber)
const scale = () =>
  new Option('--scale <factor>', 'multiplies rates, starts, users and caps').argParser(positive).default(1)
const fleet = () =>
  new Option('--fleet <address>', 'make the load by generators elsewhere: nats://HOST:4222 (or JOLT_FLEET)')
const fleetKey = () => new Option('--fleet-key <file>', "the coordinator's key of that fleet (or JOLT_FLEET_KEY)")
const generators = () =>
  new Option('--generators <number>', 'how many of the fleet; default: all that are free').argParser(wholeNumber)
const json = () => new Option('--json <file>', 'write JSON; - is standard output')

program
  .command('validate')
  .description('is the file valid? errors with line and column; nothing is sent')
  .argument('<file...>', 'plans, NAME.gate.yaml, and pipelines, NAME.pipeline.yaml')
  .addOption(target())
  .addOption(set())
  .addHelpText('after', '\nExample:\n  jolt-gate validate plans/*.gate.yaml')
  .action(async (files: string[], options: ValidateArguments) => {
    const { validate } = await import('./validate.js')
    process.exitCode = validate(files, options, outputOf())
  })

program
  .command('preview')
  .description('what a plan would send: phases, arrivals, users in flight, length; warnings')
  .argument('<plan>', 'plan file')
  .addOption(target())
  .addOption(set())
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
  .description('one user, one iteration of each journey; every request and response, secrets masked')
  .argument('<plan>', 'plan file')
  .option('--journey <name>', 'rehearse this journey only')
  .option('--waits', 'wait where the plan waits; by default only where it waits until something holds')
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
  .description('run plans in order; the verdict is the exit code')
  .argument('<plan or url...>', 'plan files, or a URL to send GET requests to')
  .addOption(target())
  .addOption(set())
  .addOption(seed())
  .addOption(scale())
  .option(
    '--baseline <result.json>',
    'an earlier result.json for gates "of baseline" (repeatable: four runs or more tell how far runs differ); a folder of --out: each plan\'s own; server: those of --to',
    collected,
  )
  .addOption(json())
  .option('--junit <file>', 'write JUnit XML')
  .option('--markdown <file>', 'write Markdown')
  .option('--html <file>', 'write a self-contained HTML page with charts')
  .option('--csv <file>', 'write the series, one row per second')
  .option('--out <folder>', 'write all reports: JSON, HTML and CSV of each plan, junit.xml and summary.md of all')
  .option('--to <server>', 'show the run live on a server, which keeps it; its token in JOLT_TOKEN')
  .option('--otlp <url>', 'send results and series to a collector (OTLP/HTTP); headers in OTEL_EXPORTER_OTLP_HEADERS')
  .option('--requests <file.csv.gz>', 'write every request as a row, 5 million at most')
  .addOption(
    new Option('--label <name=value>', 'a label of the run, in its reports (repeatable)')
      .argParser(collectLabel)
      .default({}),
  )
  .option('--commit <id>', "the change under test, where it is not the plan's own commit")
  .option('--branch <name>', 'the branch of the change under test')
  .addOption(fleet())
  .addOption(fleetKey())
  .addOption(generators())
  .option('--all', 'run the plans after one that was not open, too')
  .addOption(
    new Option(
      '--on-void <what>',
      'exit code of a void run: fail is 3; pass is 0 where nothing but gates could not be decided or measured; skip is 125',
    )
      .choices(['pass', 'fail', 'skip'])
      .default('fail'),
  )
  .option(
    '--strict',
    'void instead of open where something leaves a doubt: no baseline, a borderline gate, lost readings',
  )
  .option('--rate <rate>', 'for a URL: arrival rate, such as 5/s')
  .option('--for <duration>', 'for a URL: length, such as 30s')
  .option('--users <number>', 'for a URL: concurrent users', wholeNumber)
  .option('--iterations <number>', 'for a URL: iterations per user', wholeNumber)
  .option('--wait <duration>', 'for a URL: wait of each user between iterations, such as 1s')
  .option('--repeat <number>', 'run N times (an odd number), and judge each gate by its median', wholeNumber)
  .option('--retry-void <number>', 'retry up to N times a void run that another could mend', wholeNumber)
  .option('--gate <sentence>', 'for a URL: a limit that must hold, repeatable', collected)
  .addHelpText(
    'after',
    `
Examples:
  jolt-gate run plans/smoke.gate.yaml --json result.json --junit junit.xml
  jolt-gate run plans/summer.gate.yaml --scale 0.1 --html report.html
  jolt-gate run plans/smoke.gate.yaml plans/typical.gate.yaml --out reports
  jolt-gate run http://127.0.0.1:7710/health --users 10 --iterations 20`,
  )
  .action(async (files: string[], options: RunArguments) => {
    const { run } = await import('./run.js')
    process.exitCode = await run(files, options, outputOf())
  })

program
  .command('capacity')
  .description('the highest arrival rate, or number of users, at which the gates of a plan hold')
  .argument('<plan>', 'plan file')
  .option('--range <rates>', 'search between two rates: "20/s to 2000/s"')
  .option('--users <numbers>', 'search between two numbers of users instead: "10 to 400"')
  .option('--at-least <load>', 'decide one load alone, such as 300/s or "40 users": 0 it holds, 1 it does not')
  .option('--hold <duration>', 'length of a trial, after a warm-up of a third of it; default 30s')
  .option('--exact <share>', 'how wide the interval of the answer may be; default 5 %')
  .option('--within <duration>', 'how long all of it may take; default 20m')
  .addOption(target())
  .addOption(set())
  .addOption(seed())
  .addOption(fleet())
  .addOption(fleetKey())
  .addOption(generators())
  .addOption(json())
  .addHelpText(
    'after',
    `
Examples:
  jolt-gate capacity plans/typical.gate.yaml --range "20/s to 2000/s"
  jolt-gate capacity plans/typical.gate.yaml --at-least 300/s --hold 1m`,
  )
  .action(async (file: string, options: CapacityArguments) => {
    const { capacity } = await import('./capacity.js')
    process.exitCode = await capacity(file, options, outputOf())
  })

program
  .command('compare')
  .description('compare two results step by step; exit code 1 when something is worse, 3 when nothing could be tested')
  .argument('<results...>', 'the earlier result and the later one; before --with, the earlier ones')
  .option('--with <results...>', 'the later ones, where several runs of each are compared')
  .addOption(json())
  .option('--markdown <file>', 'write Markdown')
  .option('--smallest <share>', 'differences up to this share do not matter; default 5 %')
  .addHelpText(
    'after',
    '\nExamples:\n  jolt-gate compare main.json result.json --markdown comparison.md\n  jolt-gate compare main-1.json main-2.json main-3.json --with change-1.json change-2.json change-3.json',
  )
  .action(async (files: string[], options: CompareOptions) => {
    const { compare } = await import('./compare.js')
    process.exitCode = compare(files, options, outputOf())
  })

program
  .command('import')
  .description('write a plan from a recording (HAR 1.2), OpenAPI 3, WSDL 1.1, a curl command line or a URL')
  .argument('<what>', 'a file, a URL, a curl command line in quotes, or - for standard input')
  .option('--name <name>', 'name of the plan')
  .option('--folder <folder>', 'repository to write to', '.')
  .option('--force', 'overwrite existing files', false)
  .option('--origins <origins>', 'for a recording: origins to include, comma-separated', listed)
  .addOption(
    new Option('--waits <waits>', 'for a recording: think times')
      .choices(['kept', 'rounded', 'around', 'none'])
      .default('around'),
  )
  .option('--no-by-page', 'for a recording: no group per page')
  .option('--origin <origin>', 'for a description: origin of the service')
  .option('--operations <operations>', 'for a description: operations to call, in order, comma-separated', listed)
  .addHelpText(
    'after',
    `
Examples:
  jolt-gate import visit.har --name "Book a place" --waits rounded
  jolt-gate import http://127.0.0.1:7710/openapi.json
  jolt-gate import api.openapi.yaml --origin http://127.0.0.1:7710 --operations "GET /sailings,POST /holds"
  jolt-gate import "curl -u me:secret http://127.0.0.1:7710/health"`,
  )
  .action(async (what: string, options: ImportArguments) => {
    const { importPlan } = await import('./import.js')
    process.exitCode = await importPlan(what, options, outputOf())
  })

program
  .command('calibrate')
  .description('measure what this machine can send, how late, and how exactly it times')
  .addOption(json())
  .addHelpText(
    'after',
    '\nIt takes about twenty seconds, on a machine that does nothing else.\n\nExample:\n  jolt-gate calibrate --json calibration.json',
  )
  .action(async (options: { json?: string }) => {
    const { calibrateMachine } = await import('./calibrate.js')
    process.exitCode = await calibrateMachine(options, outputOf())
  })

program
  .command('profile')
  .description('print a ready-made load section: smoke, typical, stress, spike or soak')
  .addArgument(new Argument('<kind>', 'kind of load').choices(['smoke', 'typical', 'stress', 'spike', 'soak']))
  .option('--usual <rate or users>', 'ordinary load: 5/s, or "20 users"', '1/s')
  .option('--peak <rate or users>', 'highest load of stress and spike; default: three times the usual')
  .option('--for <duration>', 'total length', '10m')
  .addHelpText('after', '\nExample:\n  jolt-gate profile spike --usual 5/s --peak 40/s --for 10m')
  .action(async (kind: string, options: { usual: string; peak?: string; for: string }) => {
    const { writeLoad } = await import('./profile.js')
    process.exitCode = writeLoad(kind, options)
  })

program
  .command('send')
  .description('upload runs that could not be delivered while they were made')
  .argument('<run.gz...>', 'what "run --to --out FOLDER" has kept')
  .requiredOption('--to <server>', 'the server that keeps them; its token in JOLT_TOKEN')
  .addHelpText(
    'after',
    '\nA file that is not delivered within five minutes is given up, with the exit code 5; send it again.\nExample:\n  jolt-gate send reports/*.run.gz --to https://gate.example/p/1',
  )
  .action(async (files: string[], { to }: { to: string }) => {
    const { send } = await import('./report/send.js')
    process.exitCode = await send(files, to, outputOf())
  })

program
  .command('admit')
  .description('may a change go on to a stage of the pipeline? the server answers from the runs that it knows')
  .requiredOption('--stage <name>', 'the stage, as the pipeline file names it')
  .requiredOption('--to <server>', 'the server that keeps the runs; its token in JOLT_TOKEN')
  .option('--commit <id>', 'the change under test; by default the commit of the repository here')
  .option('--pipeline <file>', 'the pipeline, where the project has several')
  .addOption(json())
  .addHelpText(
    'after',
    '\nExample:\n  jolt-gate admit --stage production --commit "$GIT_COMMIT" --to https://gate.example/p/1',
  )
  .action(async (options: AdmitArguments) => {
    const { admit } = await import('./admit.js')
    process.exitCode = await admit(options, outputOf())
  })

program
  .command('generate')
  .description('make load as a generator of a fleet, until it is told to end')
  .requiredOption('--join <address>', 'the fleet: nats://HOST:4222')
  .requiredOption('--key <file>', 'the key that "fleet add" wrote for this generator')
  .option('--place <name>', 'where it stands, as its key says')
  .option('--threads <number>', 'sender threads; default: one less than there are cores', wholeNumber)
  .option('--allow-loopback', 'make load against this machine itself, for tests and demos')
  .addHelpText('after', '\nExample:\n  jolt-gate generate --join nats://10.0.0.4:4222 --key north-1.key --place north')
  .action(async (options: GenerateArguments) => {
    const { generate } = await import('./fleet.js')
    process.exitCode = await generate(options, outputOf())
  })

const ofFleet = program.command('fleet').description('make a fleet, and say who may join it')
const folder = () => new Option('--folder <folder>', 'the folder of the fleet').default('.')
ofFleet
  .command('init')
  .description("write a server's configuration, its certificate and the coordinator's key to a folder")
  .argument('<folder>', 'a new folder')
  .option('--host <name>', 'by which generators reach the server; beyond loopback TLS is set up', '127.0.0.1')
  .option('--port <number>', 'of the server; default 4222', wholeNumber)
  .action(async (path: string, options: { host: string; port?: number }) => {
    const { initFleet } = await import('./fleet.js')
    process.exitCode = initFleet(path, options)
  })
ofFleet
  .command('add')
  .description('let a generator in, and write its key')
  .argument('<name>', 'of the generator')
  .requiredOption('--place <name>', 'where it stands')
  .addOption(folder())
  .action(async (name: string, options: { place: string; folder: string }) => {
    const { addToFleet } = await import('./fleet.js')
    process.exitCode = addToFleet(name, options)
  })
ofFleet
  .command('remove')
  .description('let a generator in no more')
  .argument('<name>', 'of the generator')
  .addOption(folder())
  .action(async (name: string, options: { folder: string }) => {
    const { removeFromFleet } = await import('./fleet.js')
    process.exitCode = removeFromFleet(name, options)
  })

program
  .command('completion')
  .description('print a shell completion script')
  .addArgument(new Argument('<shell>').choices(['bash', 'zsh', 'fish']))
  .addHelpText('after', '\nExample:\n  jolt-gate completion bash >> ~/.bashrc')
  .action(async (shell: string) => {
    const { completionOf } = await import('./completion.js')
    process.stdout.write(completionOf(shell, program))
  })

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
  if (name === undefined || value === undefined) throw new InvalidArgumentError('expected name=value')
  return { ...before, [name]: value }
}

function collectLabel(pair: string, before: Record<string, string>): Record<string, string> {
  const label = readLabel(pair)
  if (label === undefined) throw new InvalidArgumentError(LABEL_WORDS)
  if (Object.keys(before).length >= MOST_LABELS)
    throw new InvalidArgumentError(`a run has at most ${String(MOST_LABELS)} labels`)
  const [name, value] = label
  return { ...before, [name]: value }
}

function collected(text: string, before: string[] | undefined): string[] {
  return [...(before ?? []), text]
}

function listed(text: string): string[] {
  return text
    .split(',')
    .map((part) => part.trim())
    .filter((part) => part !== '')
}

function wholeNumber(text: string): number {
  const value = Number(text)
  if (!/^\d+$/.test(text) || !Number.isSafeInteger(value)) throw new InvalidArgumentError('expected a whole number')
  return value
}

function positive(text: string): number {
  const value = Number(text)
  if (!(value > 0 && value <= 1000)) throw new InvalidArgumentError('expected a number above 0, such as 0.1')
  return value
}

// The one who reads may stop reading: what the command does and how it ends is not changed by that.
for (const stream of [process.stdout, process.stderr])
  stream.on('error', (error: NodeJS.ErrnoException) => {
    if (error.code === 'EPIPE') return
    if (stream === process.stdout) process.stderr.write(`standard output cannot be written: ${error.message}\n`)
    process.exitCode ??= EXIT.fault
    if (process.exitCode === 0) process.exitCode = EXIT.fault
  })

try {
  await program.parseAsync()
} catch (error) {
  if (error instanceof CommanderError) process.exitCode = error.exitCode === 0 ? 0 : EXIT.usage
  else if (error instanceof UsageError) {
    process.stderr.write(`${error.message}\n`)
    process.exitCode = EXIT.usage
  } else {
    process.stderr.write(`Internal error: ${error instanceof Error ? (error.stack ?? error.message) : String(error)}\n`)
    process.exitCode = EXIT.fault
  }
}
