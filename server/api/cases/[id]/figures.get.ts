/** Figures of one part, one field on a part, the flow through a surface, or two surfaces, for the data check. */
import { Type } from '@sinclair/typebox'
import { getQuery } from 'h3'
import { checkSchema } from '../../../../core/study/check'
import type { CheckSubject } from '../../../../core/check/checkSubject'

const Query = Type.Object(
  {
    look: Type.Union([Type.Literal('part'), Type.Literal('field'), Type.Literal('flow'), Type.Literal('pair')]),
    part: Type.String({ minLength: 1, maxLength: 500 }),
    field: Type.Optional(Type.String({ minLength: 1, maxLength: 500 })),
    other: Type.Optional(Type.String({ minLength: 1, maxLength: 500 })),
    moment: Type.String({ pattern: '^[0-9]{1,9}$' }),
  },
  { additionalProperties: false },
)

export default route(async (event, services) => {
  const { moment, ...subject } = checkSchema(Query, getQuery(event), 'The question')
  return services.checks.figures(await services.current(idOf(event, 'no-case')), subject as CheckSubject, Number(moment))
})
