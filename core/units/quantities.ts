/**
 * Quantities of the trade: what a field most likely is by its name, which unit it then has where a file names none, and
 * in which other units people like to see it.
 */
import { parseUnit, sameDimensions } from './units'
import type { Dimensions, Unit } from './units'

export interface QuantityKind {
  name: string
  /** Unit of values whose file names none. */
  unit: string
  /** Units to show it in. */
  choices: readonly string[]
  /** Names that fields of this quantity have in files, without signs and in lower case. */
  names: RegExp
  /** Numbers of components it may have. */
  components: readonly number[]
}

/** Of what tells nodes or cells apart. */
const NUMBERING = 'numbering'

const any = [1, 3]

/** In the order in which names are tried. */
export const quantities: readonly QuantityKind[] = [
  {
    name: 'displacement',
    unit: 'm',
    choices: ['m', 'mm', 'µm', 'in'],
    names: /^(disp(l|lacement)?s?|deformation|verschiebung)$/,
    components: any,
  },
  {
    name: 'velocity',
    unit: 'm/s',
    choices: ['m/s', 'mm/s', 'km/h', 'ft/s'],
    names: /^(u|v|w|ux|uy|uz|vx|vy|vz|vel(ocity)?([xyz]|mean|magnitude)?|[xyz]velocity|umean|speed)$/,
    components: any,
  },
  {
    name: 'pressure',
    unit: 'Pa',
    choices: ['Pa', 'kPa', 'MPa', 'bar', 'psi'],
    names: /^(p|prgh|pmean|pressure|press|(static|total|dynamic|gauge|absolute)pressure|ptot(al)?)$/,
    components: [1],
  },
  {
    name: 'temperature',
    unit: 'K',
    choices: ['K', '°C'],
    names: /^(t|temp|temps|temperatures?|tmean|(static|total)temperature|ndtemp|nt11)$/,
    components: [1],
  },
  { name: 'density', unit: 'kg/m³', choices: ['kg/m³', 'g/L'], names: /^(rho|dens(ity)?|rhomean)$/, components: [1] },
  {
    name: 'stress',
    unit: 'Pa',
    choices: ['Pa', 'kPa', 'MPa', 'GPa', 'psi'],
    names: /^(s|sig(ma)?|stress(es)?|(von)?mises|vonmisesstress|mises|seqv|cauchystress|s(xx|yy|zz|xy|yz|zx))$/,
    components: [1, 6, 9],
  },
  {
    name: 'strain',
    unit: '1',
    choices: ['1', '%'],
    names: /^(e|eps|strains?|tostrain|totalstrain|pe|peeq|e(xx|yy|zz|xy|yz|zx))$/,
    components: [1, 6, 9],
  },
  { name: 'force', unit: 'N', choices: ['N', 'kN'], names: /^(forces?|forc|rf|reactionforce)$/, components: any },
  { name: 'turbulent energy', unit: 'm²/s²', choices: ['m²/s²'], names: /^(k|tke|turbulen(t|ce)(kinetic)?energy)$/, components: [1] },
  { name: 'dissipation rate', unit: 'm²/s³', choices: ['m²/s³'], names: /^(epsilon|dissipation(rate)?)$/, components: [1] },
  {
    name: 'rate',
    unit: '1/s',
    choices: ['1/s', 'Hz', 'rpm'],
    names: /^(omega|vorticity|strainrate|shearrate|frequency)$/,
    components: any,
  },
  {
    name: 'kinematic viscosity',
    unit: 'm²/s',
    choices: ['m²/s', 'mm²/s'],
    names: /^(nut|nu|nutilda|nueff|eddyviscosity)$/,
    components: [1],
  },
  { name: 'viscosity', unit: 'Pa·s', choices: ['Pa·s', 'mPa·s'], names: /^(mu|mut|mueff|viscosity|dynamicviscosity)$/, components: [1] },
  { name: 'wall shear', unit: 'Pa', choices: ['Pa', 'kPa'], names: /^(wallshear(stress)?|tauw|wss)$/, components: any },
  { name: 'heat flux', unit: 'W/m²', choices: ['W/m²', 'kW/m²'], names: /^(heatflux|wallheatflux|qw|hfl|flux)$/, components: any },
  { name: 'time', unit: 's', choices: ['s', 'min', 'h', 'd'], names: /^(age|time|residencetime)$/, components: [1] },
  {
    name: NUMBERING,
    unit: '1',
    choices: ['1'],
    names: /^((global)?(node|point|cell|element)(number|id|label|num)s?|nid|eid)$/,
    components: [1],
  },
  {
    name: 'plain number',
    unit: '1',
    choices: ['1', '%'],
    names: /^(alpha.*|yplus|mach(number)?|ma|cp|volumefraction|quality|.*fraction)$/,
    components: [1],
  },
]

/** Quantities known only by their unit, after those above. */
const byUnitOnly: readonly Pick<QuantityKind, 'name' | 'unit' | 'choices'>[] = [
  { name: 'length', unit: 'm', choices: ['m', 'cm', 'mm', 'µm', 'km', 'in', 'ft'] },
  { name: 'area', unit: 'm²', choices: ['m²', 'cm²', 'mm²'] },
  { name: 'volume', unit: 'm³', choices: ['m³', 'L', 'cm³', 'mm³'] },
  { name: 'volume flow', unit: 'm³/s', choices: ['m³/s', 'L/s', 'L/min', 'm³/h'] },
  { name: 'mass', unit: 'kg', choices: ['kg', 'g', 't'] },
  { name: 'mass flow', unit: 'kg/s', choices: ['kg/s', 'kg/h', 't/h'] },
  { name: 'power', unit: 'W', choices: ['W', 'kW', 'MW'] },
  { name: 'energy', unit: 'J', choices: ['J', 'kJ', 'MJ'] },
  { name: 'acceleration', unit: 'm/s²', choices: ['m/s²'] },
  { name: 'angle', unit: '1', choices: ['1', '°'] },
]

/** What a field is by its name and number of components, if that says anything. */
export function quantityByName(name: string, components: number): QuantityKind | undefined {
  const plain = name.toLowerCase().replace(/[^a-z0-9]+/g, '')
  return quantities.find((q) => q.components.includes(components) && q.names.test(plain))
}

/** Whether a field is, by its name, the velocity vector. */
export function isVelocity({ name, components }: { name: string; components: number }): boolean {
  return components === 3 && quantityByName(name, components)?.name === 'velocity'
}

/** Whether a field tells nodes or cells apart: nothing to look at. */
export function isNumbering({ name, components }: { name: string; components: number }): boolean {
  return quantityByName(name, components)?.name === NUMBERING
}

/** Name of the quantity of a field: by its name where the unit agrees, else by its unit. null: unknown */
export function quantityOf(name: string, components: number, unit: string | null): string | null {
  const named = quantityByName(name, components)
  const parsed = unit === null ? null : parseUnit(unit)
  if (!parsed) return named?.name ?? null
  if (named && sameDimensions(parseUnit(named.unit)!.dimensions, parsed.dimensions)) return named.name
  if (named?.name === 'pressure' && sameDimensions(parseUnit('m²/s²')!.dimensions, parsed.dimensions)) return 'pressure over density'
  const byUnit = quantityOfUnit(parsed)?.name
  // a tensor in m²/s² is no energy
  return byUnit === undefined || quantities.some((q) => q.name === byUnit && !q.components.includes(components)) ? null : byUnit
}

function quantityOfUnit({ dimensions }: { dimensions: Dimensions }): Pick<QuantityKind, 'name' | 'unit' | 'choices'> | undefined {
  if (dimensions.every((x) => x === 0)) return quantities[quantities.length - 1]
  const fits = (q: { unit: string }): boolean => sameDimensions(parseUnit(q.unit)!.dimensions, dimensions)
  // a length is a length before it is a displacement
  return byUnitOnly.find(fits) ?? quantities.find(fits)
}

/** Units of the same dimensions to choose from; the given one first. Empty when the unit is unknown. */
export function unitChoices(unit: string | null): string[] {
  const parsed = unit === null ? null : parseUnit(unit)
  if (!parsed) return []
  const choices = quantityOfUnit(parsed)?.choices ?? []
  return [unit!, ...choices.filter((choice) => choice !== unit)]
}

/** Units to choose from: of those of the given one, then of what the name of a field says, then others; a few. */
export function likelyUnits(name: string, components: number, unit: string | null, others: readonly string[] = []): string[] {
  return [...new Set([...unitChoices(unit), ...(quantityByName(name, components)?.choices ?? []), ...others])].slice(0, 8)
}

/** Key of a dimension in a study's table of display units. */
export function dimensionKey(dimensions: Dimensions): string {
  return dimensions.join(' ')
}

/** How values of one unit are shown in another: shown = factor × value + offset. */
export interface Display {
  unit: string
  factor: number
  offset: number
}

/** A value as it is shown; itself where its unit is unknown. */
export function inDisplay(to: Display | null, value: number): number {
  return to ? to.factor * value + to.offset : value
}

/** The value of a shown number. */
export function fromDisplay(to: Display | null, shown: number): number {
  return to ? (shown - to.offset) / to.factor : shown
}

/**
 * @param chosen        units by `dimensionKey`
 * @param isDifference  of temperature levels: a difference has no offset
 */
export function displayOf(unit: string | null, chosen: Readonly<Record<string, string>>, isDifference = false): Display | null {
  const from = unit === null ? null : parseUnit(unit)
  if (!from) return null
  const wished = chosen[dimensionKey(from.dimensions)]
  const to = wished === undefined ? null : parseUnit(wished)
  if (!to || !sameDimensions(from.dimensions, to.dimensions)) return { unit: unit!, factor: 1, offset: 0 }
  return conversion(from, to, wished!, isDifference)
}

/** From one unit to another of the same kind; as they are where one is unknown or they do not fit. */
export function displayIn(from: string | null, to: string | null): Display | null {
  const wished = to === null ? null : parseUnit(to)
  return wished && displayOf(from, { [dimensionKey(wished.dimensions)]: to! })
}

function conversion(from: Unit, to: Unit, unit: string, isDifference: boolean): Display {
  return { unit, factor: from.factor / to.factor, offset: isDifference ? 0 : (from.offset - to.offset) / to.factor }
}
