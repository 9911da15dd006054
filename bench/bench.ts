/**
 * `stavik bench`: the product's own kernels on a mesh of the reference's making, beside the plain native ones.
 *
 * Names, parameters and `check` numbers are those of the reference's README, so that answers are compared as well as
 * times. `ms` is the median of five runs after one warm-up.
 */
import { execFileSync } from 'node:child_process'
import { existsSync } from 'node:fs'
import { mkdtemp, rm, cp, writeFile } from 'node:fs/promises'
import { availableParallelism, tmpdir } from 'node:os'
import { join } from 'node:path'
import { readArguments, table } from '../cli/arguments'
import { withCase } from '../cli/openCase'
import { UserError } from '../core/errors'
import { writeVtk } from '../core/formats/write/vtkXml'
import { readBenchMesh } from './benchMesh'
import { boxMesh } from './boxMesh'
import { benchImport } from './importBench'
import type { ImportReport } from './importBench'
import { runKernels } from './kernels'
import type { KernelResult } from './kernels'

const DEFAULT_CELLS = 1_000_000
const USAGE = './stavik bench [FILE | --cells N] [--import | --against DIR] [--json]'

interface Report {
  cells: number
  points: number
  cores: number
  kernels: Record<string, KernelResult & { native?: { ms: number; check: number }; ratio?: number }>
}

export async function bench(args: string[]): Promise<void> {
  const options = readArguments(args, { cells: 'value', against: 'value', json: 'flag', import: 'flag' }, USAGE)
  const cells = Number(options.value('cells') ?? DEFAULT_CELLS)
  if (!(cells >= 1000 && cells <= 2e7)) throw new UserError('usage', '--cells takes a number between 1,000 and 20,000,000.')
  const [file] = options.positional
  if (options.has('import')) {
    const report = file ? await benchImport(file) : await importOfGenerated(cells)
    process.stdout.write(options.has('json') ? `${JSON.stringify(report)}\n` : `${importReadable(report)}\n`)
    return
  }
  const against = options.value('against')
  const report = against ? await compared(against, cells) : await plain(file, cells)
  process.stdout.write(options.has('json') ? `${JSON.stringify(report)}\n` : `${readable(report)}\n`)
}

async function plain(file: string | undefined, cells: number): Promise<Report> {
  const mesh = file ? await withCase(file, readBenchMesh) : boxMesh(cells)
  return { cells: mesh.mesh.types.length, points: mesh.mesh.points.length / 3, cores: availableParallelism(), kernels: runKernels(mesh) }
}

/** The same mesh as a file, so that sizes without a file can be imported, too. */
async function importOfGenerated(cells: number): Promise<ImportReport> {
  const scratch = await mkdtemp(join(tmpdir(), 'stavik-bench-'))
  try {
    const file = join(scratch, 'mesh.vtu')
    const { mesh, T, U } = boxMesh(cells)
    await writeFile(
      file,
      writeVtk(
        mesh,
        [
          { name: 'T', place: 'point', components: 1, values: T, unit: 'K' },
          { name: 'U', place: 'point', components: 3, values: U, unit: 'm/s' },
        ],
        { lengthUnit: 'm' },
      ),
    )
    return await benchImport(file)
  } finally {
    await rm(scratch, { recursive: true, force: true })
  }
}

/** Builds the reference in a copy, has it write its mesh, and runs the same work on that file. */
async function compared(folder: string, cells: number): Promise<Report> {
  if (!existsSync(join(folder, 'ref.cpp'))) throw new UserError('no-reference', `${folder} holds no reference: ref.cpp is missing there.`)
  const scratch = await mkdtemp(join(tmpdir(), 'stavik-bench-'))
  try {
    await cp(folder, scratch, { recursive: true, force: true })
    try {
      execFileSync('make', ['-C', scratch], { stdio: ['ignore', 'ignore', 'pipe'] })
    } catch {
      throw new UserError('no-compiler', 'The reference could not be built; it needs g++ 12, make and the zlib headers.')
    }
    const file = join(scratch, 'mesh.vtu')
    const said = execFileSync(join(scratch, 'ref'), ['--cells', String(cells), '--skip-io', '--write', file], {
      encoding: 'utf8',
      stdio: ['ignore', 'pipe', 'ignore'],
    })
    const native = (JSON.parse(said) as { kernels: Record<string, { ms: number; check: number }> }).kernels
    const report = await plain(file, cells)
    for (const [name, result] of Object.entries(report.kernels)) {
      const reference = native[name]
      if (!reference) continue
      result.native = { ms: reference.ms, check: reference.check }
      result.ratio = result.ms / reference.ms
    }
    return report
  } finally {
    await rm(scratch, { recursive: true, force: true })
  }
}

function importReadable({ cells, read, catalogue, skin, coloured, meshes, fields, memory, disk }: ImportReport): string {
  const ms = (x: number | null): string => (x === null ? '–' : `${x.toFixed(0)} ms`)
  return table([
    ['cells', `${cells}`],
    ['reading the bytes', ms(read)],
    ['catalogue', ms(catalogue)],
    ['outer surface', ms(skin)],
    ['outer surface coloured', ms(coloured)],
    ['meshes stored', ms(meshes)],
    ['fields of one moment', ms(fields)],
    ['most memory', `${memory.toFixed(0)} MiB`],
    ['store on disk', `${disk.toFixed(0)} MiB`],
  ])
}

function readable({ cells, points, cores, kernels }: Report): string {
  const rows = Object.entries(kernels).map(([name, k]) => [
    name,
    k.ms.toFixed(1),
    k.native ? k.native.ms.toFixed(1) : '',
    k.ratio ? `${k.ratio.toFixed(1)}×` : '',
    k.check.toPrecision(10),
    k.native ? k.native.check.toPrecision(10) : '',
  ])
  return (
    `${cells} cells, ${points} points, ${cores} cores, one thread\n` +
    `${table([['kernel', 'ms', 'native ms', 'ratio', 'check', 'native check'], ...rows])}`
  )
}
