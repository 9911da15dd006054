import type { CaseData } from '../../core/case/CaseData'
import { UserError } from '../../core/errors'
import type { OpenCase } from '../../core/formats/Format'
import { memoryOfPart } from '../../core/store/blockStore'
import { readCase } from '../../core/store/memoryCase'
import { importBudget, memoryOf } from '../settings'

/** The data of all moments at once, for what looks at several of them. @throws UserError when they do not fit into memory together */
export async function allMoments(opened: OpenCase, fields: ReadonlySet<string> | undefined): Promise<CaseData[]> {
  const { parts, moments } = opened.catalogue
  const need = moments.length * parts.reduce((sum, part) => sum + memoryOfPart(part), 0)
  if (need > importBudget(memoryOf(process.env)))
    throw new UserError('too-large', 'All moments together do not fit into memory; raise STAVIK_MEMORY, or take this formula in a study.')
  const found: CaseData[] = []
  // each with a mesh of its own: fields of the next moment take the place of those on a mesh that is known
  for (const { index } of moments) found.push(await readCase(opened, index, fields, {}))
  return found
}
