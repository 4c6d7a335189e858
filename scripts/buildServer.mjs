// Builds the server's program and the modules of its threads as plain JavaScript, so that a thread need not compile TypeScript before
// its first job. Takes a fifth of a second, so it is done at every start, and never stale.
import { readFile } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import { fileURLToPath, pathToFileURL } from 'node:url'
import { build } from 'esbuild'

const packages = join(dirname(dirname(fileURLToPath(import.meta.url))), 'packages')
const src = join(packages, 'server/src')
/** Where what is built lies. */
export const builtServer = join(packages, 'server/built')

/**
 * What is built in with our own code: packages of many small modules without a platform's needs, of which little is used. A thread
 * begins in half the time when it need not open 500 files first. All others are found in node_modules as ever.
 */
const builtIn = new Set([
  '@date-fns/tz',
  'bidi-js',
  'big.js',
  'chrono-node',
  'date-fns',
  'fractional-indexing',
  'htmlparser2',
  'ical.js',
  'numfmt',
  'papaparse',
  'postal-mime',
  'saxes',
  'zod',
])
const packageOf = (path) => /^(?:@[^/]+\/)?[^/]+/.exec(path)[0]

const ours = {
  name: 'ours',
  setup({ onResolve, onLoad }) {
    onResolve({ filter: /^@hand-post\// }, async ({ path }) => {
      const [name, ...inside] = path.slice('@hand-post/'.length).split('/')
      const folder = join(packages, name)
      const { exports } = JSON.parse(await readFile(join(folder, 'package.json'), 'utf8'))
      return { path: join(folder, exports[['.', ...inside].join('/')]) }
    })
    onResolve({ filter: /^[^./]/ }, ({ path, importer }) =>
      path.startsWith('@hand-post/') || importer.includes('node_modules') || builtIn.has(packageOf(path))
        ? null
        : { path, external: true },
    )
    // A module goes on finding what lies beside its source.
    onLoad({ filter: /(server|practice)\/(src|test)\/.*\.ts$|\/(bench|scripts)\/\w+\.ts$/ }, async ({ path }) => ({
      loader: 'ts',
      contents: (await readFile(path, 'utf8'))
        .replaceAll('import.meta.url', JSON.stringify(pathToFileURL(path).href))
        .replaceAll('import.meta.dirname', JSON.stringify(dirname(path))),
    }))
  },
}

/** Builds modules as plain JavaScript, with what of ours they use. */
const buildModules = (entryPoints, outbase, outdir) =>
  build({
    entryPoints,
    outbase,
    outdir,
    outExtension: { '.js': '.mjs' },
    bundle: true,
    splitting: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    sourcemap: 'linked',
    logLevel: 'warning',
    plugins: [ours],
  })

/** Builds what the server runs, and gives the folder in which it lies. */
export async function buildServer(folder = builtServer) {
  const names = ['main', 'db/holder', 'db/serverHolder', 'app/thread', 'app/jobs', 'app/mailThread']
  await buildModules(
    names.map((name) => join(src, `${name}.ts`)),
    src,
    folder,
  )
  return folder
}

/** The commands of this folder. */
const commands = ['backup', 'checkRecord', 'invite', 'move', 'restore', 'signingKey']
/** The file that a command becomes where it is built into a folder. */
export const builtCommand = (name, folder = builtServer) => join(folder, 'command', `${name}.mjs`)

/** Builds commands of this folder. */
export async function buildCommands(names = commands, folder = builtServer) {
  const scripts = join(packages, '../scripts')
  await buildModules(
    names.map((name) => join(scripts, `${name}.ts`)),
    scripts,
    dirname(builtCommand('', folder)),
  )
}

/** Builds the measurements, and gives the folder in which they lie: each would read all of the server as TypeScript else. */
export async function buildBench(files) {
  const built = join(builtServer, 'bench')
  await buildModules(files, join(packages, '../bench'), built)
  return built
}
