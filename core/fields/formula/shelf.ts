/** Ready formulas for the fields of a case: only those whose inputs are there are offered. */
import { dimensionless, parseUnit, sameDimensions } from '../../units/units'
import type { Dimensions } from '../../units/units'
import { checkFormula } from './check'
import { expressionText, nameOf } from './expressions'
import type { Scope } from './typed'

export interface ReadyFormula {
  name: string
  text: string
  about: string
  /** Case that values come from. */
  from?: string
}

/** What is known of a field that a formula may use. */
export interface ShelfField {
  name: string
  components: number
  dimensions: Dimensions | null
}

/** Two fields of what swings, told by the ends of their names. */
const pairEnds = {
  parts: [/[ _.]?re(?:al)?$/i, /[ _.]?im(?:ag(?:inary)?)?$/i],
  polar: [/[ _.]?(?:amplitude|magnitude)$/i, /[ _.]?phase$/i],
} as const

/** Name of another case, and of the fields that it has. */
interface OtherCase {
  name: string
  fields: ReadonlySet<string>
}

/** Other cases: with a mesh, and of points alone. */
export interface OtherCases {
  meshes: readonly OtherCase[]
  points: readonly OtherCase[]
}

interface Rule {
  /** `&` stands for a case that values come from. */
  from?: keyof OtherCases
  /** `$` and `&` stand for the two, and `$` in the name for what is before the ends. */
  pair?: keyof typeof pairEnds
  /** Unit and numbers of components of the field that stands for `$`; none for formulas of positions. */
  of?: { unit?: string; components: readonly number[] }
  /** Of the result; `$` is the name of the field. */
  name: string
  text: string
  about: string
}

const VELOCITY = { unit: 'm/s', components: [3] }
const PRESSURE = { unit: 'Pa', components: [1] }
const STRESS = { unit: 'Pa', components: [6, 9] }
const TEMPERATURE = { unit: 'K', components: [1] }
const DISPLACEMENT = { unit: 'm', components: [3] }

/** Of any unit. */
const SCALAR = { components: [1] }

const rules: readonly Rule[] = [
  { from: 'points', of: SCALAR, name: '$ of &', text: 'from("&", $)', about: 'anywhere between its points' },
  { from: 'points', of: VELOCITY, name: '$ of &', text: 'from("&", $)', about: 'anywhere between its points' },
  { from: 'meshes', of: VELOCITY, name: 'speed less &', text: 'mag($) - from("&", mag($))', about: 'difference at the same place' },
  { from: 'meshes', of: SCALAR, name: '$ less &', text: '$ - from("&", $)', about: 'difference at the same place' },
  { of: VELOCITY, name: 'speed', text: 'mag($)', about: 'magnitude of the velocity' },
  { of: VELOCITY, name: 'vorticity', text: 'curl($)', about: 'twice the rate of turning' },
  { of: VELOCITY, name: 'vortex Q', text: 'qcriterion($)', about: 'above 0 it turns more than it is strained' },
  { of: VELOCITY, name: 'vortex lambda2', text: 'lambda2($)', about: 'below 0 in the core of a vortex' },
  { of: VELOCITY, name: 'shear rate', text: 'sqrt(2) * mag(strain($))', about: 'size of the rate of strain' },
  { of: VELOCITY, name: 'dynamic pressure', text: '0.5 * density * mag($)^2', about: 'with the density of the material' },
  { of: VELOCITY, name: 'volume source', text: 'div($)', about: 'divergence: 0 where volume is kept' },
  { of: VELOCITY, name: 'turn about z', text: '(pos.x * $.y - pos.y * $.x) / hypot(pos.x, pos.y)', about: 'velocity around the z axis' },
  {
    of: VELOCITY,
    name: 'wall shear',
    text: '-viscosity * dot(grad($) + transpose(grad($)), normal)',
    about: 'what the fluid pulls its walls along with, by the cells behind them',
  },
  { of: TEMPERATURE, name: 'change of $', text: 'ddt($)', about: 'derivative by time' },
  { of: TEMPERATURE, name: 'mean of $', text: 'mean($, over = times)', about: 'mean over all moments, by time' },
  { of: PRESSURE, name: '$ gradient', text: 'grad($)', about: 'slope of the pressure' },
  { of: PRESSURE, name: '$ over mean', text: '$ - mean($)', about: 'difference to the mean over all regions' },
  { of: TEMPERATURE, name: '$ over mean', text: '$ - mean($)', about: 'difference to the mean over all regions' },
  { of: TEMPERATURE, name: '$ share', text: '($ - min($)) / (max($) - min($))', about: '0 at the smallest, 1 at the largest' },
  { of: STRESS, name: 'equivalent $', text: 'equivalent($)', about: 'von Mises stress' },
  { of: STRESS, name: 'principal $', text: 'principal($)', about: 'principal stresses, .x the largest' },
  {
    of: STRESS,
    name: 'largest shear',
    text: '0.5 * (principal($).x - principal($).z)',
    about: 'half of the difference of principal stresses',
  },
  { of: STRESS, name: 'hydrostatic $', text: 'trace($) / 3', about: 'mean normal stress' },
  { of: STRESS, name: 'direction of $', text: 'direction1($)', about: 'along the largest principal stress' },
  { of: DISPLACEMENT, name: 'strain', text: 'strain($)', about: 'small strain of the displacement' },
  { of: DISPLACEMENT, name: 'volume change', text: 'trace(strain($))', about: 'relative change of volume' },
  { pair: 'parts', name: 'phi', text: "0 'deg'", about: 'phase that films and readings can go through' },
  { pair: 'parts', name: '$ amplitude', text: 'modulus($, &)', about: 'of each component' },
  { pair: 'parts', name: '$ peak', text: 'peak($, &)', about: 'largest over all phases; equivalent stress of tensors' },
  { pair: 'parts', name: '$ at phi', text: 'atphase($, &, phi)', about: 'as it is at the phase phi' },
  { pair: 'polar', name: 'phi', text: "0 'deg'", about: 'phase that films and readings can go through' },
  { pair: 'polar', name: '$ real', text: 'real($, &)', about: 'real part' },
  { pair: 'polar', name: '$ imaginary', text: 'imaginary($, &)', about: 'imaginary part' },
  {
    pair: 'polar',
    name: '$ peak',
    text: 'peak(real($, &), imaginary($, &))',
    about: 'largest over all phases; equivalent stress of tensors',
  },
  { pair: 'polar', name: '$ at phi', text: 'atphase(real($, &), imaginary($, &), phi)', about: 'as it is at the phase phi' },
  { name: 'radius', text: 'hypot(pos.x, pos.y)', about: 'distance from the z axis' },
  { name: 'angle', text: 'atan2(pos.y, pos.x)', about: 'about the z axis, in radians' },
]

/** @param scope  in which they must have a meaning @param taken  names that are in use */
export function readyFormulas(
  fields: readonly ShelfField[],
  scope: Scope,
  taken: ReadonlySet<string>,
  elsewhere: OtherCases = { meshes: [], points: [] },
): ReadyFormula[] {
  const found: ReadyFormula[] = []
  const names = new Set(taken)
  for (const rule of rules) {
    for (const { called, first, second } of subjectsOf(rule, fields, elsewhere)) {
      const written = rule.text.replaceAll('$', () => first).replaceAll('&', () => second)
      const ready = {
        name: rule.name.replaceAll('$', () => called).replaceAll('&', () => lettersOf(second)),
        about: rule.about,
        ...(rule.from && { from: second }),
      }
      if (names.has(ready.name) || !hasMeaning(written, scope)) continue
      names.add(ready.name)
      found.push({ ...ready, text: written })
    }
  }
  return found
}

/** What of the name of a case can be in the name of a formula. */
function lettersOf(name: string): string {
  return (name.match(/[\p{L}\d_]+/gu) ?? []).join(' ')
}

interface Subject {
  /** In the name of the formula. */
  called: string
  first: string
  second: string
}

function subjectsOf({ of, pair, from }: Rule, fields: readonly ShelfField[], elsewhere: OtherCases): Subject[] {
  const written = ({ name }: ShelfField): string => expressionText(nameOf(name))
  // a name in backticks cannot be the name of a formula
  const plain = (name: string): string => (name && expressionText(nameOf(name)) === name ? name : 'it')
  if (pair) {
    const [one, other] = pairEnds[pair]
    return fields.flatMap((first) => {
      const called = first.name.replace(one, '')
      const second = called !== first.name && fields.find(({ name }) => other.test(name) && name.replace(other, '') === called)
      return second ? [{ called: plain(called), first: written(first), second: written(second) }] : []
    })
  }
  if (!of) return [{ called: '', first: '', second: '' }]
  const fitting = fields.filter((own) => fits(own, of))
  const subjects = (all: readonly ShelfField[], second: string): Subject[] =>
    all.map((own) => ({ called: plain(own.name), first: written(own), second }))
  if (!from) return subjects(fitting, '')
  return elsewhere[from].flatMap(({ name, fields: there }) =>
    subjects(
      fitting.filter((own) => there.has(own.name)),
      name,
    ),
  )
}

function fits({ components, dimensions }: ShelfField, of: NonNullable<Rule['of']>): boolean {
  if (!of.components.includes(components)) return false
  return of.unit === undefined || sameDimensions(dimensions ?? dimensionless, parseUnit(of.unit)!.dimensions)
}

function hasMeaning(text: string, scope: Scope): boolean {
  try {
    checkFormula(text, scope)
    return true
  } catch {
    return false
  }
}
