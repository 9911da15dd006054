/** Opens one spoiled input as a user would: it must end in a result or in one sentence, soon, and without much memory. */
import { mkdir, mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { describeCase } from '../../cli/info'
import { UserError } from '../../core/errors'
import type { OpenCase } from '../../core/formats/Format'
import { openNamed } from '../../core/formats/series'
import { storedPlace } from '../../core/case/catalogue'
import { readCase } from '../../core/store/memoryCase'
import { DiskFolder } from '../../server/cases/files'
import { spoiled } from './inputs'
import type { Sample } from './inputs'

/** Longest that a file of a few kilobytes may compute, in milliseconds. Of the processor: a disk may stand still for a minute. */
const TOO_LONG = 20_000
const TOO_MUCH = 2 ** 30
/** Points or cells of a window, and how many are read at most: spoiled files may claim millions. */
const WINDOW = 16
const MOST_READ = 400

export interface Finding {
  what: string
  problem: string
}

/** All parts and fields as large cases are read. */
async function readWindows(opened: OpenCase): Promise<void> {
  for (const { name } of opened.catalogue.parts) {
    const windows = await opened.windows?.(name, 0)
    if (!windows) continue
    const { nPoints, nCells } = windows
    for (let from = 0; from < Math.min(nPoints, MOST_READ); from += WINDOW) await windows.points(from, Math.min(from + WINDOW, nPoints))
    for (let from = 0; from < Math.min(nCells, MOST_READ); from += WINDOW) await windows.cells(from, Math.min(from + WINDOW, nCells))
    for (const field of opened.catalogue.fields.filter(
      (f) => f.parts.includes(name) && f.place !== 'whole case' && f.moments.includes(0),
    )) {
      await opened.valuesWindow?.(name, field.name, 0, 0, Math.min(WINDOW, storedPlace(field.place) === 'cell' ? nCells : nPoints))
    }
  }
}

/** @returns what is wrong with how the input was answered; undefined when it was answered well */
export async function tryInput(sample: Sample, seed: number): Promise<Finding | undefined> {
  const { bytes, how } = spoiled(sample.files[sample.target]!, seed)
  const what = `${sample.target}, seed ${seed}: ${how}`
  const root = await mkdtemp(join(tmpdir(), 'stavik-try-'))
  const folder = new DiskFolder(root)
  const started = process.cpuUsage()
  const before = process.memoryUsage().arrayBuffers
  try {
    for (const [name, content] of Object.entries({ ...sample.files, [sample.target]: bytes })) {
      await mkdir(dirname(join(root, name)), { recursive: true })
      await writeFile(join(root, name), content)
    }
    const opened = await openNamed([sample.name], folder)
    const ways = [async () => void describeCase(await readCase(opened, 0)), () => readWindows(opened)]
    // each has refusals of its own, and only the first one to refuse is seen
    for (const read of seed % 2 ? ways : ways.reverse()) await read()
  } catch (error) {
    if (!(error instanceof UserError)) return { what, problem: error instanceof Error ? (error.stack ?? error.message) : String(error) }
    if (!/[.;]/.test(error.message) || error.message.includes('\n')) return { what, problem: `not one sentence: ${error.message}` }
  } finally {
    await folder.close().catch(() => undefined)
    await rm(root, { recursive: true, force: true })
  }
  const { user, system } = process.cpuUsage(started)
  const spent = (user + system) / 1000
  if (spent > TOO_LONG) return { what, problem: `computed for ${spent} ms` }
  const grown = process.memoryUsage().arrayBuffers - before
  return grown > TOO_MUCH ? { what, problem: `took ${grown} bytes` } : undefined
}
