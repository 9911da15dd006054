/** What the user says of a case beyond its file. It is kept when the case is read again. */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'
import { UserError } from '../errors'
import { requireUnit } from '../units/units'
import { kindOfComponents, MaterialSchema, RoleSchema } from './catalogue'
import type { Catalogue, Field } from './catalogue'
import { unitByLength } from './unitGuesses'

const Unit = Type.Union([Type.String({ maxLength: 60 }), Type.Null()])
const Name = Type.String({ minLength: 1, maxLength: 500 })

export const DescriptionSchema = Type.Object(
  {
    lengthUnit: Type.Optional(Unit),
    /** Units by field name; null takes a unit away. */
    units: Type.Optional(Type.Record(Type.String(), Unit)),
    /** Units of what the rows of tables stand along, by part; null takes a unit away. */
    abscissae: Type.Optional(Type.Record(Type.String(), Unit)),
    /** By surface; null takes it away. */
    roles: Type.Optional(Type.Record(Type.String(), Type.Union([RoleSchema.properties.is, Type.Null()]))),
    /** By region; null takes it away. */
    materials: Type.Optional(Type.Record(Type.String(), Type.Union([MaterialSchema, Type.Null()]))),
    /** Regions that are meant to be one layer of cells thick: nothing changes across them. */
    planes: Type.Optional(Type.Record(Type.String(), Type.Boolean())),
    /** Scalars to be one vector (3) or symmetric tensor (6) from now on. */
    join: Type.Optional(Type.Object({ name: Name, from: Type.Array(Name, { minItems: 3, maxItems: 6 }) }, { additionalProperties: false })),
    /** A joined field to be taken apart again. */
    unjoin: Type.Optional(Name),
  },
  { additionalProperties: false },
)

export type Description = Static<typeof DescriptionSchema>

/** @throws UserError for an unknown unit or name */
export function describeCase(
  catalogue: Catalogue,
  { lengthUnit, units = {}, abscissae = {}, roles = {}, materials = {}, planes = {}, join, unjoin }: Description,
): Catalogue {
  for (const unit of [lengthUnit, ...Object.values(units), ...Object.values(abscissae)]) if (unit) requireUnit(unit)
  const changed: Catalogue = {
    ...catalogue,
    ...(lengthUnit !== undefined && { lengthUnit, lengthUnitFrom: 'user' as const }),
    fields: catalogue.fields.map((field) =>
      Object.hasOwn(units, field.name)
        ? { ...field, unit: units[field.name]!, unitFrom: 'user' as const }
        : lengthUnit === undefined
          ? field
          : guessedAgain(field, lengthUnit),
    ),
    parts: catalogue.parts.map((part) => {
      const next = { ...part }
      const role = roles[part.name]
      const material = materials[part.name]
      const isPlane = planes[part.name]
      const along = abscissae[part.name]
      if (role !== undefined) next.role = role === null ? undefined : { is: role, from: 'user' }
      if (material !== undefined) next.material = material ?? undefined
      if (along !== undefined && part.abscissa) next.abscissa = { ...part.abscissa, unit: along, unitFrom: 'user' }
      if (isPlane !== undefined) next.isPlane = isPlane
      return next
    }),
  }
  const joined = join ? { ...changed, fields: withJoined(changed, join) } : changed
  return unjoin === undefined
    ? joined
    : { ...joined, fields: joined.fields.map((field) => (field.name === unjoin && field.from ? { ...field, parts: [] } : field)) }
}

/** What was guessed, or could not be, follows the unit of length. */
function guessedAgain(field: Field, lengthUnit: string | null): Field {
  const unit = field.unit === null || field.unitFrom === 'guess' ? unitByLength(field, lengthUnit) : undefined
  return unit === undefined ? field : { ...field, unit, unitFrom: 'guess' }
}

/** Stored values are known by the place of a field in the list: a new one comes last, one taken apart stays without parts. */
function withJoined({ fields }: Catalogue, { name, from }: NonNullable<Description['join']>): Field[] {
  const scalars = from.map((wanted) => fields.find((f) => f.name === wanted && f.components === 1 && f.parts.length))
  const first = scalars[0]
  const isWhole = from.length === 3 || from.length === 6
  if (!first || !isWhole || !scalars.every((f) => f?.place === first.place && f.parts.join() === first.parts.join())) {
    throw new UserError('no-join', `${from.join(', ')} are not three or six scalars on the same parts; choose others.`)
  }
  if (fields.some((f) => f.name === name && f.parts.length))
    throw new UserError('name-taken', `There is a field “${name}” already; choose another name.`)
  const again = fields.findIndex((f) => f.name === name && f.from?.join() === from.join())
  if (again >= 0) return fields.map((f, i) => (i === again ? { ...f, parts: first.parts } : f))
  const moments = first.moments.filter((m) => scalars.every((f) => f!.moments.includes(m)))
  const isSingle = scalars.every((f) => f!.numberType === 'Float32')
  return [
    ...fields,
    {
      ...first,
      name,
      components: from.length,
      kind: kindOfComponents(from.length),
      from,
      moments,
      numberType: isSingle ? 'Float32' : 'Float64',
    },
  ]
}

/** What was said of an earlier reading of the same case, on a fresh catalogue. */
export function keepDescription(fresh: Catalogue, known: Catalogue): Catalogue {
  const isSaid = (from: string | undefined): boolean => from === 'user' || from === 'guess'
  const described: Catalogue = {
    ...fresh,
    ...(known.lengthUnitFrom === 'user' && { lengthUnit: known.lengthUnit, lengthUnitFrom: 'user' as const }),
    fields: fresh.fields.map((field) => {
      const before = known.fields.find((f) => f.name === field.name && f.place === field.place)
      return before && isSaid(before.unitFrom) && (field.unit === null || before.unitFrom === 'user')
        ? { ...field, unit: before.unit, unitFrom: before.unitFrom! }
        : field
    }),
    parts: fresh.parts.map((part) => {
      const before = known.parts.find((p) => p.name === part.name)
      const role = part.role ?? before?.role
      const isAlongSaid = before?.abscissa?.unitFrom === 'user' && before.abscissa.name === part.abscissa?.name
      return {
        ...part,
        ...(before?.role?.from === 'user' ? { role: before.role } : role && { role }),
        ...(isAlongSaid && { abscissa: before.abscissa }),
        ...(before?.material && { material: before.material }),
      }
    }),
  }
  // those taken apart, too: the stored values of the others are known by their places in the list
  const joins = known.fields.filter((f) => f.from)
  return joins.reduce((catalogue, { name, from, unit, unitFrom, parts }) => {
    const isThere = from!.every((scalar) => catalogue.fields.some((f) => f.name === scalar))
    const isTaken = catalogue.fields.some((f) => f.name === name && f.parts.length)
    if (!isThere || isTaken) return catalogue
    const fields = withJoined(catalogue, { name, from: from! })
    const own = { unit, ...(unitFrom && { unitFrom }), ...(!parts.length && { parts: [] }) }
    return { ...catalogue, fields: fields.map((f, i) => (i === fields.length - 1 ? { ...f, ...own } : f)) }
  }, described)
}

/** Number of moments added to the known ones; null if anything else differs and the case must be imported again. */
export function addedMoments(known: Catalogue, fresh: Catalogue): number | null {
  const meshOf = ({ parts }: Catalogue): string => JSON.stringify(parts.map((p) => [p.name, p.cells, p.dimension]))
  const fieldsOf = ({ fields }: Catalogue): string =>
    JSON.stringify(fields.filter((f) => !f.from).map((f) => [f.name, f.place, f.components]))
  const isPrefix = known.moments.every((m, i) => fresh.moments[i]?.value === m.value && fresh.moments[i]?.label === m.label)
  return isPrefix && meshOf(known) === meshOf(fresh) && fieldsOf(known) === fieldsOf(fresh)
    ? fresh.moments.length - known.moments.length
    : null
}
