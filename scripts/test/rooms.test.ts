// The import check is itself checked: each kind of violation is planted in a copy of the sources, and must be caught.
import { execFileSync, spawnSync } from 'node:child_process'
import { cpSync, mkdirSync, mkdtempSync, readdirSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { stripVTControlCharacters } from 'node:util'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'

const root = fileURLToPath(new URL('../../', import.meta.url))
const copy = mkdtempSync(join(tmpdir(), 'jolt-gate-rooms-'))
const ROOMS = ['core', 'engine', 'cli', 'server', 'web', 'stand-ins/ferries', 'scripts']
const PLACES = ROOMS.map((room) => `${room}/src`)

beforeAll(() => {
  const tracked = execFileSync('git', ['ls-files', '-co', '--exclude-standard', ...ROOMS, '.dependency-cruiser.cjs'], {
    cwd: root,
    encoding: 'utf8',
  })
  for (const file of [...tracked.trim().split('\n'), 'package.json', 'core/grammar/sentences.js']) {
    if (/\/test\//.test(file)) continue
    mkdirSync(dirname(join(copy, file)), { recursive: true })
    cpSync(join(root, file), join(copy, file))
  }
  // The packages of the project lead to the copy; all others to those that are installed.
  mkdirSync(join(copy, 'node_modules/@jolt-gate'), { recursive: true })
  const own: [string, string][] = [
    ['stand-in-ferries', 'stand-ins/ferries'],
    ...ROOMS.filter((room) => !room.includes('/')).map((room): [string, string] => [room, room]),
  ]
  for (const [name, room] of own) symlinkSync(join(copy, room), join(copy, 'node_modules/@jolt-gate', name))
  for (const name of ['typescript', 'vue', '@vue'])
    symlinkSync(join(root, 'node_modules', name), join(copy, 'node_modules', name))
})
afterAll(() => {
  rmSync(copy, { recursive: true, force: true })
})

/** What the check finds in some places of a checkout. */
function check(folder: string, ...places: string[]): string {
  const { stdout, stderr } = spawnSync(
    process.execPath,
    [
      join(root, 'node_modules/dependency-cruiser/bin/dependency-cruise.mjs'),
      '--config',
      '.dependency-cruiser.cjs',
      '--output-type',
      'err',
      ...places,
    ],
    { cwd: folder, encoding: 'utf8' },
  )
  return stripVTControlCharacters(stdout + stderr)
}

const RINGS = [
  ['', 'planted-ring'],
  ['type ', 'planted-types'],
] as const
const PLANTED = [
  [
    'by package name',
    'core/src/plan/planted-by-name.ts',
    "import { startRun } from '@jolt-gate/engine'\nstartRun\n",
    'core imports downward',
  ],
  [
    'by relative path',
    'engine/src/http/planted-by-path.ts',
    "import { startServer } from '../../../server/src/index.js'\nstartServer\n",
    'engine imports downward',
  ],
  [
    'in a .vue file',
    'web/src/run/Planted.vue',
    '<script setup lang="ts">\nimport { startRun } from \'@jolt-gate/engine\'\nstartRun\n</script>\n',
    'web imports downward',
  ],
  [
    'type-only',
    'core/src/judge/planted-type-only.ts',
    "import type { RunHandle } from '@jolt-gate/engine'\nexport type P = RunHandle\n",
    'core imports downward',
  ],
  [
    'of the inside of another room',
    'cli/src/planted-inside.ts',
    "import { JourneyMix } from '../../core/src/load/mix.js'\nJourneyMix\n",
    'core is entered by its index',
  ],
  [
    'upward inside core',
    'core/src/plan/planted-upward-core.ts',
    "import { judge } from '../judge/verdict.js'\njudge\n",
    'inside core, plan imports downward',
  ],
  [
    'upward inside core, type-only',
    'core/src/load/planted-upward-type.ts',
    "import type { Verdict } from '../judge/verdict.js'\nexport type P = Verdict\n",
    'inside core, load imports downward',
  ],
  [
    'upward inside the engine',
    'engine/src/http/planted-upward-engine.ts',
    "import { Walker } from '../walk/walker.js'\nWalker\n",
    'inside engine, http imports downward',
  ],
  [
    'upward inside the server',
    'server/src/database/planted-upward-server.ts',
    "import { addRun } from '../runs/store.js'\naddRun\n",
    'inside server, database imports downward',
  ],
  [
    'of people by what serves, type-only',
    'server/src/http/planted-upward-type.ts',
    "import type { Visitor } from '../people/access.js'\nexport type P = Visitor\n",
    'inside server, http imports downward',
  ],
  [
    'of a Node module in core',
    'core/src/plan/planted-node-module.ts',
    "import { readFileSync } from 'node:fs'\nreadFileSync\n",
    'core knows no Node module',
  ],
  [
    'of what is not there',
    'core/src/plan/planted-nowhere.ts',
    "import { x } from './nowhere.js'\nx\n",
    'what is imported is there',
  ],
] as const

/** What the check says of the copy with all of them planted: once, as it reads every room again each time. */
let report = ''
beforeAll(() => {
  for (const [, file, text] of PLANTED) writeFileSync(join(copy, file), text)
  for (const [type, ring] of RINGS)
    for (const [name, other] of [
      [ring, `${ring}-too`],
      [`${ring}-too`, ring],
    ])
      writeFileSync(
        join(copy, `cli/src/${name}.ts`),
        `import ${type}{ a } from './${other}.js'\nexport type A = typeof a\nexport const a = 1\n`,
      )
  report = check(copy, ...PLACES)
})

describe('the import check', () => {
  it.each(PLANTED)('catches an import %s', (_, file, _text, rule) => {
    expect(report).toContain(`error ${rule}: ${file}`)
  })

  it.each(RINGS)('catches a ring inside a room by "import %s"', (_, ring) => {
    expect(report).toContain(`error no rings: cli/src/${ring}`)
  })

  it.each(['core', 'engine', 'server'])('knows the place of every room inside %s', (room) => {
    const inside = readdirSync(join(root, room, 'src'), { withFileTypes: true })
    const names = inside.filter((entry) => entry.isDirectory()).map(({ name }) => name)
    const config = createRequire(import.meta.url)(join(root, '.dependency-cruiser.cjs')) as {
      forbidden: { name: string; to: { path?: string } }[]
    }
    const [lowest] = config.forbidden.filter(({ name }) => name.startsWith(`inside ${room}, `))
    const placed = [lowest?.name.split(' ')[2] ?? '', ...(lowest?.to.path?.match(/\((.+)\)/)?.[1]?.split('|') ?? [])]

    expect(placed.sort()).toEqual(names.sort())
  })

  it('finds nothing in the sources as they are', () => {
    expect(check(root, ...PLACES)).toContain('no dependency violations found')
  })
})
