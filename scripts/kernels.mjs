/** Compiles the kernels of `core/kernels/assembly` into `core/kernels/wasm.ts`, unless that is newer than its sources. */
import { readdirSync, readFileSync, renameSync, statSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'

const folder = join(dirname(dirname(fileURLToPath(import.meta.url))), 'core/kernels')
const sources = join(folder, 'assembly')
const target = join(folder, 'wasm.ts')

export async function compileKernels() {
  const changed = Math.max(
    ...[...readdirSync(sources).map((name) => join(sources, name)), fileURLToPath(import.meta.url)].map((path) => statSync(path).mtimeMs),
  )
  if ((statSync(target, { throwIfNoEntry: false })?.mtimeMs ?? 0) > changed) return
  const asc = await import('assemblyscript/asc')
  let binary
  const { error, stderr } = await asc.main(
    ['index.ts', '--baseDir', sources, '--outFile', 'kernels.wasm', '-O3', '--noAssert', '--runtime', 'stub'],
    {
      readFile: (name, base) => (statSync(join(base, name), { throwIfNoEntry: false }) ? readFileSync(join(base, name), 'utf8') : null),
      writeFile: (name, contents) => void (binary = contents),
    },
  )
  if (error) throw new Error(`the kernels could not be compiled: ${error.message}\n${stderr}`)
  // whoever reads it meanwhile finds the old one whole
  writeFileSync(`${target}.part`, `/** Made by scripts/kernels.mjs. */\nexport const wasm = '${Buffer.from(binary).toString('base64')}'\n`)
  renameSync(`${target}.part`, target)
}

/** Before unit tests, too. */
export const setup = compileKernels

if (process.argv[1] === fileURLToPath(import.meta.url)) await compileKernels()
