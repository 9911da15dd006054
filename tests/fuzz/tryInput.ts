/** Opens one spoiled input as a user would: it must end in a result or in one sentence, soon, and without much memory. */
import { mkdir, mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { describeCase } from '../../cli/info'
import { UserError } from '../../core/errors'
import { openNamed } from '../../core/formats/series'
import { readCase } from '../../core/study/memoryCase'
import { DiskFolder } from '../../server/work/files'
import { spoiled } from './inputs'
import type { Sample } from './inputs'

/** Longest that a file of a few kilobytes may compute, in milliseconds. Of the processor: a disk may stand still for a minute. */
const TOO_LONG = 20_000
const TOO_MUCH = 2 ** 30

export interface Finding {
  what: string
  problem: string
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
    describeCase(await readCase(await openNamed([sample.name], folder), 0))
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
