// The command with all that it needs in one folder, threads included: it starts at once, and installs as one file.
// An argument names another folder than `cli/bundle`.
import { cpSync, readdirSync } from 'node:fs'
import { createRequire } from 'node:module'
import { fileURLToPath } from 'node:url'
import { rolldown } from 'rolldown'

const engine = fileURLToPath(new URL('../../engine/src/', import.meta.url))
const command = fileURLToPath(new URL('../', import.meta.url))

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
    transform: { define: { JOLT_GATE_BUNDLED: 'true' } },
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
    banner: "import { createRequire as requireFrom } from 'node:module'; const require = requireFrom(import.meta.url);",
  })
  await made.close()
  const sandbox = createRequire(createRequire(`${engine}index.ts`).resolve('quickjs-emscripten'))
  cpSync(sandbox.resolve('@jitl/quickjs-wasmfile-release-sync/wasm'), `${folder}/emscripten-module.wasm`)
}

await bundle(process.argv[2] ?? `${command}bundle`)
