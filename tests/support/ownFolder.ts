/** A folder of a test file's own, in which files are written and opened. */
import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, afterEach, beforeAll } from 'vitest'
import { describeCase } from '../../cli/info'
import { openNamed } from '../../core/formats/series'
import { readCase } from '../../core/store/memoryCase'
import { DiskFolder } from '../../server/cases/files'

/** Made before the tests of the file that calls this, closed after each of them, and removed at the end. */
export function ownFolder() {
  let root: string
  let folder: DiskFolder
  beforeAll(async () => {
    root = await mkdtemp(join(tmpdir(), 'stavik-files-'))
    folder = new DiskFolder(root)
  })
  afterEach(() => folder.close())
  afterAll(() => rm(root, { recursive: true, force: true }))
  const open = (name: string) => openNamed([name], folder)
  return {
    path: (name: string): string => join(root, name),
    open,
    info: async (name: string, moment = 0) => describeCase(await readCase(await open(name), moment)),
  }
}

/** Corners of a unit cube, shifted along x. */
export function cube(shift: number): number[][] {
  return [
    [0, 0, 0],
    [1, 0, 0],
    [1, 1, 0],
    [0, 1, 0],
    [0, 0, 1],
    [1, 0, 1],
    [1, 1, 1],
    [0, 1, 1],
  ].map(([x, y, z]) => [x! + shift, y!, z!])
}
