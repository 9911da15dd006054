/** Writes one part of a case with chosen fields to a file of an open format, for the browser to keep. */
import { FormatError } from '../../core/errors'
import type { OpenCase } from '../../core/formats/Format'
import { memoryOfPart } from '../../core/store/blockStore'
import { convertCase } from './convertCase'
import { inWords } from './ImportJob'
import type { ImportJob } from './ImportJob'
import { sourceValues } from './importField'
import type { ImportTask } from './messages'

/** @throws FormatError when the part is too large to be held in memory; UserError when the format cannot hold it */
export async function exportPart(
  job: ImportJob,
  opened: OpenCase,
  { catalogue, part, fields, moment, file, budget }: ImportTask & { task: 'export' },
): Promise<object> {
  const found = catalogue.parts.find((p) => p.name === part)
  if (!found) throw new FormatError('no-part', `The case has no part “${part}”.`)
  const need = memoryOfPart(found) + fields.length * 24 * Math.max(found.points, found.cells)
  if (need > budget)
    throw new FormatError(
      'too-large',
      `Writing ${part} takes about ${inWords(need)} of memory, more than the ${inWords(budget)} it may use; export a slice or a ` +
        `surface, raise STAVIK_MEMORY, or use ./stavik convert.`,
    )
  // what the user said of units and components counts
  const described: OpenCase = {
    catalogue,
    mesh: (name, m) => opened.mesh(name, m),
    values: (name, field, m) => sourceValues(opened, { catalogue, part: name, field, moment: m }),
    meshKey: (name, m) => opened.meshKey(name, m),
  }
  await convertCase(
    {
      opened: described,
      parts: [found],
      wanted: fields.map((name) => ({ name, text: `\`${name}\`` })),
      moments: [moment],
      tell: () => job.check(),
    },
    file,
  )
  return {}
}
