/** Opens the file or folder named on a command line. */
import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { SourceFolder } from '../core/formats/ByteSource'
import { FormatError } from '../core/errors'
import type { OpenCase } from '../core/formats/Format'
import { openNamed } from '../core/formats/series'
import { escaped } from '../core/study/typedWords'
import { memoryOfPart } from '../core/store/blockStore'
import type { Catalogue } from '../core/case/catalogue'
import type { CaseData } from '../core/case/CaseData'
import { readCase } from '../core/store/memoryCase'
import { folderOf } from '../server/cases/files'
import { importBudget, memoryOf } from '../server/settings'
import { storeOpened } from '../server/cases/storeOpened'

/**
 * Runs `use` on the opened file and closes everything afterwards.
 *
 * @param path  of a file or folder; with `*` in its name, of the files of a series
 */
export async function withCase<T>(path: string, use: (opened: OpenCase) => Promise<T>): Promise<T> {
  const { folder, name } = await folderOf(path)
  try {
    return await use(await openNamed(name.includes('*') ? await namesLike(name, folder) : [name], folder))
  } finally {
    await folder.close()
  }
}

/** By the numbers in them. @throws FormatError when there are none */
async function namesLike(pattern: string, folder: SourceFolder): Promise<string[]> {
  const parts = pattern.split('*').map(escaped)
  const form = new RegExp(`^${parts.join('[^/]*')}$`)
  const found = (await folder.list()).filter((name) => form.test(name))
  if (!found.length) throw new FormatError('no-file', `No file is called ${pattern}; check the name.`)
  return found.sort(new Intl.Collator('en', { numeric: true }).compare)
}

/** What to read of a case: one moment, and all fields or those named. */
export interface Wish {
  moment: number
  fields?: ReadonlySet<string>
}

/** Runs `use` on the data of a case at one moment. */
export async function withData<T>(
  path: string,
  choose: (catalogue: Catalogue) => Wish,
  use: (data: CaseData, moment: number) => T,
): Promise<T> {
  return withCase(path, (opened) => {
    const wish = choose(opened.catalogue)
    return atMoments(opened, wish.fields)(wish.moment, use)
  })
}

/**
 * Gives a way to run something on the data of a case at one moment after the other: meshes are read again only where they differ. A case
 * that does not fit into memory is stored in blocks below the temporary folder.
 */
export function atMoments(
  opened: OpenCase,
  fields: ReadonlySet<string> | undefined,
): <T>(moment: number, use: (data: CaseData, moment: number) => T) => Promise<T> {
  const budget = importBudget(memoryOf(process.env))
  const need = opened.catalogue.parts.reduce((sum, part) => sum + memoryOfPart(part), 0)
  const known = {}
  return async (moment, use) =>
    need <= budget ? use(await readCase(opened, moment, fields, known), moment) : useStored(opened, { moment, fields, budget }, use)
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
