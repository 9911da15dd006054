/** A new study on one or more cases, with a first look at them. */
import { Type } from '@sinclair/typebox'
import { addFirstSteps, attachCase, newStudy } from '../../../core/study/defaults'

const Body = Type.Object(
  {
    name: Type.String({ minLength: 1, maxLength: 200 }),
    cases: Type.Array(Type.String({ format: 'uuid' }), { minItems: 1, maxItems: 100 }),
  },
  { additionalProperties: false },
)

export default route(async (event, services) => {
  const { studies, cases, events } = services
  const { name, cases: ids } = await bodyOf(event, Body, 'The new study')
  const study = newStudy(name)
  for (const id of ids) {
    const { name: caseName } = await cases.get(id)
    attachCase(study, id, caseName, await services.catalogue(id))
  }
  addFirstSteps(study)
  const id = await studies.add(study)
  events.send({ type: 'studies', data: {} })
  return { id }
})
