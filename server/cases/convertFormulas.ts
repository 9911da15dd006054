/** Formulas on the parts of an opened case that is written to another format: what they may use, and their values by the mesh. */
import { FormulaError } from '../../core/errors'
import type { CaseData } from '../../core/case/CaseData'
import type { Field, Part } from '../../core/case/catalogue'
import { wholeCase } from '../../core/evaluate/keptCase'
import { checkFormula } from '../../core/fields/formula/check'
import { namesIn, parseFormula } from '../../core/fields/formula/parse'
import { scopeOn } from '../../core/fields/formula/scope'
import { elsewhereIn, isPutIn, reductionsIn } from '../../core/fields/formula/typed'
import type { Scope, Typed } from '../../core/fields/formula/typed'
import type { OpenCase } from '../../core/formats/Format'
import type { WriteField } from '../../core/formats/write/vtkXml'
import type { NormalMesh } from '../../core/mesh/normaliseCells'
import { cornerMeans } from '../../core/store/corners'
import { readCase } from '../../core/store/memoryCase'
import { allMoments } from './allMoments'
import type { Conversion } from './convertCase'

/** Fields that a part has at a moment; those at corners become means of cells. */
export function presentOn({ opened: { catalogue } }: Conversion, part: Part, moment: number): Field[] {
  return catalogue.fields
    .filter((f) => f.parts.includes(part.name) && f.moments.includes(moment))
    .map((f): Field => (f.place === 'corner' ? { ...f, place: 'cell' } : f))
}

/** What formulas may use on a part with these fields. */
export function scopeOf({ opened: { catalogue }, wanted, parts }: Conversion, part: Part, present: readonly Field[]): Scope {
  const names = {
    catalogue: { ...catalogue, fields: [...present] },
    formulas: textsOf(wanted),
    fields: Object.fromEntries(present.map(({ name }) => [name, { field: name }])),
    moment: null,
  }
  const known = catalogue.fields.filter((f) => f.parts.some((name) => parts.some((p) => p.name === name))).map((f) => f.name)
  return { ...scopeOn(names, part.name), names: () => known }
}

/** Formulas by their names, without those that are the field itself. */
function textsOf(wanted: Conversion['wanted'] = []): Record<string, string> {
  return Object.fromEntries(wanted.filter(({ name, text }) => text !== `\`${name}\``).map(({ name, text }) => [name, text]))
}

/** A formula understood; undefined where a part has not the fields for it. */
export function typedOn(text: string, scope: Scope): Typed | undefined {
  try {
    return checkFormula(text, scope)
  } catch (error) {
    if (error instanceof FormulaError && error.code === 'unknown-name') return undefined
    throw error
  }
}

/** @throws FormulaError for what none of the parts has the fields for at any of the moments */
export function checkWanted(conversion: Conversion): void {
  const { wanted = [], parts, moments } = conversion
  for (const { text } of wanted) {
    const scopes = parts.flatMap((part) => moments.map((moment) => scopeOf(conversion, part, presentOn(conversion, part, moment))))
    if (!scopes.some((scope) => typedOn(text, scope))) checkFormula(text, scopes[0]!)
  }
}

/** Whether a formula needs more of the case than the values of one moment in the order of the mesh. */
export function needsCase(typed: Typed): boolean {
  return isPutIn(typed) || typed.operation.kind === 'reduced' || typed.of.some(needsCase)
}

/** The parts of a case that some formulas look at, as files have them: one value for each cell. */
function asInFiles({ opened }: Conversion, isWanted: (part: Part) => boolean): OpenCase {
  const { catalogue } = opened
  const parts = catalogue.parts.filter(isWanted)
  const isThere = (name: string): boolean => parts.some((p) => p.name === name)
  const fields = catalogue.fields.map((f): Field => ({
    ...f,
    place: f.place === 'corner' ? 'cell' : f.place,
    parts: f.parts.filter(isThere),
  }))
  return {
    catalogue: { ...catalogue, parts, fields },
    mesh: async (name, moment) => ({ ...(await opened.mesh(name, moment)), hasOwnCorners: false }),
    values: async (name, field, moment) => {
      const stored = await opened.values(name, field, moment)
      return stored.place === 'corner' ? cornerMeans(stored) : stored
    },
    meshKey: (name, moment) => opened.meshKey(name, moment),
  }
}

/** What was read last for the formulas of a conversion: a formula after the other takes the same. */
const lastRead = new WeakMap<Conversion, { key: string; data: Promise<CaseData[]> }>()

/** By moments; of one moment alone unless a formula looks at others. Slopes look at the surfaces around, reductions at all parts. */
function dataFor(conversion: Conversion, part: Part, moment: number, typed: Typed): Promise<CaseData[]> {
  const isOfAllMoments = elsewhereIn(typed).length > 0
  const isOfAllParts = reductionsIn(typed).length > 0
  const key = JSON.stringify([isOfAllMoments || moment, isOfAllParts || part.name])
  const last = lastRead.get(conversion)
  if (last?.key === key) return last.data
  const opened = asInFiles(conversion, ({ name, dimension }) => isOfAllParts || name === part.name || dimension === 2)
  const names = new Set((conversion.wanted ?? []).flatMap(({ text }) => [...namesIn(parseFormula(text))]))
  const one = async (): Promise<CaseData[]> => {
    const data: CaseData[] = []
    data[moment] = await readCase(opened, moment, names)
    return data
  }
  const data = isOfAllMoments ? allMoments(opened, names) : one()
  lastRead.set(conversion, { key, data })
  return data
}

/** A formula with gradients, smoothing, reductions or other moments, which is computed by blocks, in the order of the mesh. */
export async function blockValues(
  conversion: Conversion,
  { part, mesh }: { part: Part; mesh: NormalMesh },
  moment: number,
  text: string,
  typed: Typed,
): Promise<Pick<WriteField, 'place' | 'components' | 'values'>> {
  const moments = await dataFor(conversion, part, moment, typed)
  const at = (other: number): CaseData => moments[other]!
  const data = at(moment)
  const evaluation = wholeCase(at, moment, textsOf(conversion.wanted))
  const expression = parseFormula(text)
  const isOnPoints = typed.place === 'point'
  const values = new Float64Array(typed.components * (isOnPoints ? mesh.points.length / 3 : mesh.types.length))
  // the pieces of a cell keep their order
  const pieces = new Map<number, number[]>()
  mesh.cellNumbers.forEach((cell, piece) => void (pieces.get(cell)?.push(piece) ?? pieces.set(cell, [piece])))
  const blocks = data.part(part.name)
  for (let k = 0; k < blocks.nBlocks; k++) {
    const own = evaluation.blockValues(expression, [part.name], blocks, k)
    const { cellNumbers, pointNumbers } = blocks.block(k)
    const numbers = isOnPoints ? pointNumbers : cellNumbers.map((cell) => pieces.get(cell)!.shift()!)
    numbers.forEach((to, i) => values.set(own.values.subarray(i * own.components, (i + 1) * own.components), to * own.components))
  }
  return { place: isOnPoints ? 'point' : 'cell', components: typed.components, values }
}
