/** Opens the file or folder named on a command line. */
import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { OpenCase } from '../core/formats/Format'
import { openNamed } from '../core/formats/series'
import { memoryOfPart } from '../core/store/blockStore'
import type { Catalogue } from '../core/case/catalogue'
import type { CaseData } from '../core/case/CaseData'
import { readCase } from '../core/store/memoryCase'
import { folderOf } from '../server/cases/files'
import { importBudget, memoryOf } from '../server/settings'
import { storeOpened } from '../server/cases/storeOpened'

/** Runs `use` on the opened file and closes everything afterwards. */
export async function withCase<T>(path: string, use: (opened: OpenCase) => Promise<T>): Promise<T> {
  const { folder, name } = await folderOf(path)
  try {
    return await use(await openNamed([name], folder))
  } finally {
    await folder.close()
  }
}

/** What to read of a case: some moments one after the other, and all fields or those named. */
export interface Wish {
  moments: readonly number[]
  fields?: ReadonlySet<string>
}

/** Runs `use` on the data of a case at each moment; one that does not fit into memory is stored in blocks below the temporary folder. */
export async function withData<T>(
  path: string,
  choose: (catalogue: Catalogue) => Wish,
  use: (data: CaseData, moment: number) => T,
): Promise<T[]> {
  return withCase(path, async (opened) => {
    const { catalogue } = opened
    const { moments, fields } = choose(catalogue)
    const budget = importBudget(memoryOf(process.env))
    const need = catalogue.parts.reduce((sum, part) => sum + memoryOfPart(part), 0)
    const known = {}
    const found: T[] = []
    for (const moment of moments) {
      const data =
        need <= budget
          ? use(await readCase(opened, moment, fields, known), moment)
          : await useStored(opened, { moment, fields, budget }, use)
      found.push(data)
    }
    return found
  })
}

async function useStored<T>(
  opened: OpenCase,
  { moment, fields, budget }: { moment: number; fields: ReadonlySet<string> | undefined; budget: number },
  use: (data: CaseData, moment: number) => T,
): Promise<T> {
  const store = await mkdtemp(join(tmpdir(), 'stavik-'))
  try {
    const { data, close } = await storeOpened(opened, store, moment, fields, budget)
    try {
      return use(data, moment)
    } finally {
      close()
    }
  } finally {
    await rm(store, { recursive: true, force: true })
  }
}
