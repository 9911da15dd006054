/** Name and units of a case. */
import { Type } from '@sinclair/typebox'
import { requireUnit } from '../../../core/fields/units'

const Unit = Type.Union([Type.String({ maxLength: 60 }), Type.Null()])
const Body = Type.Object(
  {
    name: Type.Optional(Type.String({ minLength: 1, maxLength: 200 })),
    lengthUnit: Type.Optional(Unit),
    /** Units by field name; null takes a unit away. */
    units: Type.Optional(Type.Record(Type.String(), Unit)),
  },
  { additionalProperties: false },
)

export default route(async (event, services) => {
  const id = idOf(event, 'no-case')
  const { name, lengthUnit, units = {} } = await bodyOf(event, Body, 'The change')
  for (const unit of [lengthUnit, ...Object.values(units)]) if (unit) requireUnit(unit)
  if (name !== undefined) await services.cases.rename(id, name)
  if (lengthUnit === undefined && !Object.keys(units).length) return {}
  await services.setCatalogue(id, (catalogue) => ({
    ...catalogue,
    ...(lengthUnit !== undefined && { lengthUnit, lengthUnitFrom: 'user' as const }),
    fields: catalogue.fields.map((field) => (field.name in units ? { ...field, unit: units[field.name]!, unitFrom: 'user' as const } : field)),
  }))
  return {}
})
