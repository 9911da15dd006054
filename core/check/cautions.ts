/** What an engineer should know before trusting a case, in plain words, with what can be done about it. */
import type { Catalogue } from '../case/catalogue'
import { formatNumber } from '../colour/ticks'
import { isVelocity, quantityByName } from '../units/quantities'
import { componentGroups } from './components'
import type { Description } from '../case/describeCase'
import type { FieldFigures } from './fieldFigures'
import type { PartFigures } from './partFigures'
import type { SurfaceFlow } from '../case/roles'

export interface CheckCaution {
  /** `note` is good to know, not a reason for doubt. */
  level: 'caution' | 'note'
  text: string
  /** What a click may settle. */
  mend?: ({ label: string } & Pick<Description, 'lengthUnit' | 'units' | 'roles' | 'join'>)[]
}

export interface CheckedCase {
  catalogue: Catalogue
  /** What has been looked at so far, by part, and by part and field. */
  parts: ReadonlyMap<string, PartFigures>
  fields: ReadonlyMap<string, FieldFigures>
  flows: ReadonlyMap<string, SurfaceFlow>
}

export function fieldKey(part: string, field: string): string {
  return `${part}\n${field}`
}

export function checkCautions(checked: CheckedCase): CheckCaution[] {
  const { catalogue } = checked
  return [
    ...lengthUnit(catalogue),
    ...units(checked),
    ...componentGroups(catalogue).map((group): CheckCaution => ({
      level: 'caution',
      text: `${group.from.join(', ')} look like the components of one ${group.from.length === 3 ? 'vector' : 'symmetric tensor'}.`,
      mend: [{ label: `Join as ${group.name}`, join: group }],
    })),
    ...moments(catalogue),
    ...values(checked),
    ...meshes(checked),
    ...guessedRoles(catalogue),
    ...materials(catalogue),
    ...flows(checked),
    ...catalogue.cautions.map((text): CheckCaution => ({ level: 'caution', text })),
  ]
}

/** Size of the box of all parts in the case's length unit, or null. */
export function boxSize({ parts }: Catalogue): [number, number, number] | null {
  const known = parts.map((p) => p.bounds).filter((b): b is number[] => b.every((x) => x !== null))
  if (!known.length) return null
  const at = (d: number, pick: (...xs: number[]) => number): number => known.reduce((m, b) => pick(m, b[d]!), d < 3 ? Infinity : -Infinity)
  return [0, 1, 2].map((d) => at(d + 3, Math.max) - at(d, Math.min)) as [number, number, number]
}

/** Fields that a caution names one by one. */
const MOST_NAMED = 6

function lengthUnit(catalogue: Catalogue): CheckCaution[] {
  if (catalogue.lengthUnitFrom !== 'guess' || catalogue.parts.every((part) => part.abscissa)) return []
  const size = boxSize(catalogue)
  const box = size ? ` The box is ${size.map((x) => formatNumber(x, 4)).join(' × ')}.` : ''
  return [
    {
      level: 'caution',
      text: `The file names no unit of length.${box}`,
      mend: ['m', 'mm', 'cm', 'in'].map((unit) => ({ label: unit, lengthUnit: unit })),
    },
  ]
}

function units({ catalogue, fields }: CheckedCase): CheckCaution[] {
  const out: CheckCaution[] = []
  const unknown: string[] = []
  for (const field of uniqueFields(catalogue)) {
    const figures = field.parts.map((part) => fields.get(fieldKey(part, field.name))).find((f) => f?.min != null)
    const range = figures ? ` ${formatNumber(figures.min!, 4)} … ${formatNumber(figures.max!, 4)}` : ''
    if (field.unitFrom === 'guess' && field.unit !== null) {
      const hint =
        field.unit === 'm²/s²' && quantityByName(field.name, 1)?.name === 'pressure'
          ? `${field.name} looks like pressure divided by density.`
          : `The unit of ${field.name} is a guess.${range && `${range} fits ${field.unit}.`}`
      const others =
        quantityByName(field.name, field.components)
          ?.choices.filter((unit) => unit !== field.unit)
          .slice(0, 2) ?? []
      out.push({
        level: 'caution',
        text: hint,
        mend: [field.unit, ...others].map((unit) => ({
          label: unit === field.unit ? `It is ${unit}` : unit,
          units: { [field.name]: unit },
        })),
      })
    } else if (field.unit === null) unknown.push(`${field.name}${range && ` (${range.trim()})`}`)
  }
  const named = unknown.length > MOST_NAMED ? [...unknown.slice(0, MOST_NAMED), `${unknown.length - MOST_NAMED} more`] : unknown
  if (unknown.length)
    out.push({
      level: 'caution',
      text: unknown.length === 1 ? `The unit of ${unknown[0]} is unknown.` : `The units of ${inList(named)} are unknown.`,
    })
  return out
}

/** One entry for fields of one name on several parts. */
export function uniqueFields({ fields }: Catalogue): Catalogue['fields'] {
  return fields.filter((f, i) => f.parts.length && fields.findIndex((g) => g.name === f.name && g.parts.length) === i)
}

function moments(catalogue: Catalogue): CheckCaution[] {
  const out: CheckCaution[] = []
  const all = catalogue.moments
  // fields that are missing at the same moments are named together
  const lacking = new Map<string, { at: Catalogue['moments']; names: string[] }>()
  for (const field of uniqueFields(catalogue)) {
    const at = all.filter((m) => !field.moments.includes(m.index))
    if (!at.length || !field.moments.length) continue
    const key = at.map((m) => m.index).join()
    lacking.set(key, { at, names: [...(lacking.get(key)?.names ?? []), field.name] })
  }
  for (const { at, names } of lacking.values()) {
    const labels = at.slice(0, 3).map((m) => `${m.label}${m.unit ? ` ${m.unit}` : ''}`)
    const isBeginning = at.length === 1 && at[0]!.index === 0 && all.length > 2
    out.push({
      level: isBeginning ? 'note' : 'caution',
      text:
        `At ${labels.join(', ')}${at.length > 3 ? ` and ${at.length - 3} more` : ''} the ` +
        `${names.length === 1 ? 'field' : 'fields'} ${inList(names)} ${names.length === 1 ? 'is' : 'are'} missing.`,
    })
  }
  const times = all.filter((m) => m.kind === 'time' && m.value !== null).map((m) => m.value!)
  const gaps = timeGaps(times)
  if (gaps.length)
    out.push({
      level: 'caution',
      text: `The times have ${gaps.length === 1 ? 'a gap' : `${gaps.length} gaps`}: after ${gaps
        .slice(0, 3)
        .map((t) => formatNumber(t, 5))
        .join(', ')} ${catalogue.timeUnit ?? ''} the step is more than twice the usual one.`,
    })
  if (times.some((t, i) => i > 0 && t <= times[i - 1]!))
    out.push({ level: 'caution', text: 'The times do not increase everywhere: parts of the run may have been written twice.' })
  return out
}

/** a, b and c */
function inList(names: readonly string[]): string {
  return names.length < 2 ? names.join('') : `${names.slice(0, -1).join(', ')} and ${names[names.length - 1]}`
}

/** Times after which the step is more than twice the middle one. */
export function timeGaps(times: readonly number[]): number[] {
  const steps = times.slice(1).map((t, i) => t - times[i]!)
  const usual = [...steps].sort((a, b) => a - b)[Math.floor(steps.length / 2)] ?? 0
  return steps.length < 3 ? [] : times.filter((_, i) => steps[i]! > 2.01 * usual)
}

function values({ catalogue, fields }: CheckedCase): CheckCaution[] {
  const out: CheckCaution[] = []
  const highest = Math.max(...catalogue.parts.map((p) => p.dimension))
  for (const { name: part, dimension } of catalogue.parts) {
    const constant: string[] = []
    for (const field of catalogue.fields) {
      const figures = fields.get(fieldKey(part, field.name))
      if (!figures) continue
      const bad = figures.notANumber + figures.infinite
      if (bad) {
        const missing = count(figures.notANumber, 'value that is not a number', 'values that are not numbers')
        const infinite = figures.infinite ? ` and ${count(figures.infinite, 'infinite one', 'infinite ones')}` : ''
        const text = `${field.name} of ${part} has ${missing}${infinite}; they are left out of sums and ranges.`
        out.push({ level: 'caution', text })
      } else if (dimension === highest && figures.min !== null && figures.min === figures.max)
        constant.push(`${field.name} is ${formatNumber(figures.min, 5)}`)
    }
    if (constant.length) out.push({ level: 'note', text: `Everywhere in ${part}: ${constant.join(', ')}.` })
  }
  return out
}

function count(n: number, one: string, many: string): string {
  return `${n.toLocaleString('en').replaceAll(',', '\u2009')} ${n === 1 ? one : many}`
}

function meshes({ catalogue, parts }: CheckedCase): CheckCaution[] {
  const out: CheckCaution[] = []
  const caution = (text: string): void => void out.push({ level: 'caution', text })
  let looked = 0
  for (const part of catalogue.parts) {
    const figures = parts.get(part.name)
    if (!figures) continue
    looked++
    if (figures.negative)
      caution(`${part.name} has ${count(figures.negative, 'cell', 'cells')} of negative size; volumes and means are wrong there.`)
    if (figures.empty) caution(`${part.name} has ${count(figures.empty, 'cell', 'cells')} without any size.`)
    if (part.turnedCells)
      caution(
        `${count(part.turnedCells, 'cell', 'cells')} of ${part.name} ${part.turnedCells === 1 ? 'was' : 'were'} inside out in the ` +
          `file and ${part.turnedCells === 1 ? 'has' : 'have'} been turned.`,
      )
    if (figures.doublePoints)
      caution(`${part.name} has ${count(figures.doublePoints, 'point', 'points')} that lie on another one: its mesh may be cracked there.`)
    if (figures.unusedPoints > 0)
      out.push({
        level: 'note',
        text:
          `${count(figures.unusedPoints, 'point', 'points')} of ${part.name} ${figures.unusedPoints === 1 ? 'is' : 'are'} used ` +
          `by no cell.`,
      })
  }
  const isMesh = catalogue.parts.some((part) => part.dimension > 0)
  if (isMesh && looked === catalogue.parts.length && !out.some((c) => c.level === 'caution'))
    out.push({ level: 'note', text: 'No cell is inside out or empty, and no mesh is cracked.' })
  return out
}

function materials(catalogue: Catalogue): CheckCaution[] {
  const hasDensity = catalogue.fields.some((f) => quantityByName(f.name, f.components)?.name === 'density')
  const lacking = catalogue.parts.filter((p) => p.dimension === 3 && p.material?.constants['density'] === undefined)
  if (hasDensity || !lacking.length) return []
  return [
    {
      level: 'note',
      text: `${lacking.map((p) => p.name).join(', ')} ${lacking.length === 1 ? 'has' : 'have'} no density: mass flows need one.`,
    },
  ]
}

function guessedRoles({ parts }: Catalogue): CheckCaution[] {
  const guessed = parts.filter((p) => p.role?.from === 'guess')
  if (!guessed.length) return []
  const roles = Object.fromEntries(guessed.map((p) => [p.name, p.role!.is]))
  return [
    {
      level: 'caution',
      text: `What ${guessed.length === 1 ? `${guessed[0]!.name} is` : `${guessed.length} surfaces are`} for is a guess by name and flow.`,
      mend: [{ label: 'All right as listed', roles }],
    },
  ]
}

/** Residual that interpolation to the points of a coarse mesh leaves. */
const CLOSED = 0.05
/** Share of the flow along the surfaces that may be rounding. */
const ROUNDING = 1e-6

/** Volume flows through the surfaces of each region, when all of them have been looked at. */
function flows({ catalogue, flows: known }: CheckedCase): CheckCaution[] {
  const out: CheckCaution[] = []
  const velocity = catalogue.fields.find(isVelocity)
  for (const region of catalogue.parts.filter((p) => p.dimension === 3 && velocity?.parts.includes(p.name))) {
    const surfaces = catalogue.parts.filter((p) => p.owners?.includes(region.name))
    const through = surfaces.map((p) => (p.owners![0] === region.name ? 1 : -1) * (known.get(p.name)?.flux ?? NaN))
    const along = surfaces.reduce((sum, p) => sum + (known.get(p.name)?.speed ?? 0) * (known.get(p.name)?.area ?? 0), 0)
    const outward = through.reduce((sum, x) => sum + Math.max(x, 0), 0)
    const inward = through.reduce((sum, x) => sum + Math.max(-x, 0), 0)
    if (!surfaces.length || !(outward + inward > ROUNDING * along)) continue
    const residual = Math.abs(outward - inward) / Math.max(outward, inward)
    const numbers = `${formatNumber(inward, 4)} in, ${formatNumber(outward, 4)} out`
    if (residual < CLOSED)
      out.push({
        level: 'note',
        text:
          `What flows into ${region.name} flows out again, to ${formatNumber(100 * residual, 2)} % (${velocity!.name} over its ` +
          `surfaces: ${numbers}).`,
      })
    else
      out.push({
        level: 'caution',
        text:
          `What flows into ${region.name} does not flow out (${velocity!.name} over its surfaces: ${numbers}): a surface may be ` +
          `missing, or the flow is not of constant density.`,
      })
  }
  return out
}
