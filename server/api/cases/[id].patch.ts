/** Name of a case, and what its file leaves open: units, roles of surfaces, materials, scalars that are one vector. */
import { Type } from '@sinclair/typebox'
import { describeCase, DescriptionSchema } from '../../../core/case/describeCase'

const Body = Type.Composite([Type.Object({ name: Type.Optional(Type.String({ minLength: 1, maxLength: 200 })) }), DescriptionSchema], {
  additionalProperties: false,
})

export default route(async (event, services) => {
  const id = idOf(event, 'no-case')
  const { name, ...description } = await bodyOf(event, Body, 'The change')
  if (name !== undefined) await services.cases.rename(id, name)
  if (Object.keys(description).length) await services.setCatalogue(id, (catalogue) => describeCase(catalogue, description))
  return {}
})
