// The command with all that it needs in one folder, threads included: it starts at once, and installs as one file.
// An argument names another folder than `cli/bundle`.
import { cpSync, readdirSync } from 'node:fs'
import { createRequire } from 'node:module'
import { fileURLToPath } from 'node:url'
import { rolldown } from 'rolldown'

const core = fileURLToPath(new URL('../../core/src/', import.meta.url))
const engine = fileURLToPath(new URL('../../engine/src/', import.meta.url))
const command = fileURLToPath(new URL('../', import.meta.url))
const parts = `${command}scripts/parts/`

/** Packages that every thread would begin with, whole and at once: the bundle takes of them what is used, and then. */
const PARTS = { undici: 'undici', fontoxpath: 'fontoxpath', 'ajv/dist/2020.js': 'ajv', 'ajv-formats': 'ajv-formats' }
/** Which room has the package of a part. */
const ROOMS = { undici: engine, fontoxpath: core, ajv: core, 'ajv-formats': core }

/** Where a package stands for the bundle; the parts ask for the package itself. */
async function partOf(asked, from) {
  if (from?.startsWith(parts)) {
    const room = ROOMS[from.slice(parts.length).replace(/\.js$/, '')]
    return this.resolve(asked, `${room}index.ts`, { skipSelf: true })
  }
  return Object.hasOwn(PARTS, asked) ? `${parts}${PARTS[asked]}.js` : null
}

/** Bundles the command with the threads and processes of the engine, from the sources as they stand, to a folder. */
async function bundle(folder) {
  const entries = readdirSync(engine, { recursive: true }).filter((file) => /-(thread|process)\.ts$/.test(file))
  const made = await rolldown({
    input: {
      main: `${command}src/main.ts`,
      api: `${command}src/api.ts`,
      ...Object.fromEntries(entries.map((file) => [file.replace(/\.ts$/, ''), engine + file])),
    },
    platform: 'node',
    resolve: { conditionNames: ['jolt-gate-source', 'node'] },
    plugins: [{ name: 'parts', resolveId: partOf }],
    transform: { define: { JOLT_GATE_BUNDLED: 'true' } },
    checks: { bundlerTimings: false },
    onLog: (level, log, tell) => {
      // Packages may do as they like; our own rooms may not.
      if (!(log.id ?? '').includes('node_modules')) tell(level, log)
    },
  })
  await made.write({
    dir: folder,
    format: 'esm',
    entryFileNames: '[name].js',
    chunkFileNames: 'part-[name]-[hash].js',
    cleanDir: true,
    minify: { compress: true, mangle: false, codegen: { removeWhitespace: true } },
    // Packages of the older kind ask for Node's own modules as they run.
    banner: "import { createRequire as requireFrom } from 'node:module'; var require = requireFrom(import.meta.url);",
  })
  await made.close()
  const sandbox = createRequire(createRequire(`${engine}index.ts`).resolve('quickjs-emscripten'))
  cpSync(sandbox.resolve('@jitl/quickjs-wasmfile-release-sync/wasm'), `${folder}/emscripten-module.wasm`)
}

await bundle(process.argv[2] ?? `${command}bundle`)
