/** What a film goes through and how it is kept, as far as that was chosen. */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'
import { constantValues, settingValues } from './over'

const closed = { additionalProperties: false }
const Id = Type.String({ pattern: '^[a-z][a-z0-9-]{0,60}$' })
const MOST_PICTURES = 10_000
const Side = Type.Integer({ minimum: 64, maximum: 4096, multipleOf: 2 })

export const filmFormats = ['mp4', 'webm', 'gif', 'png'] as const

/** One stretch of a film. */
export const FilmLegSchema = Type.Union([
  /** `between`: pictures between two moments, of what follows paths. */
  Type.Object({ is: Type.Literal('moments'), between: Type.Integer({ minimum: 0, maximum: 100 }) }, closed),
  Type.Object({ is: Type.Literal('turn'), degrees: Type.Number(), count: Type.Integer({ minimum: 1, maximum: MOST_PICTURES }) }, closed),
  Type.Object({ ...settingValues, isBack: Type.Optional(Type.Boolean()) }, closed),
  Type.Object({ ...constantValues, isBack: Type.Optional(Type.Boolean()) }, closed),
])

export const FilmSchema = Type.Object(
  {
    /** One after the other. */
    legs: Type.Array(FilmLegSchema, { minItems: 1, maxItems: 20 }),
    format: Type.Union(filmFormats.map((format) => Type.Literal(format))),
    /** Pixels, even numbers: video codecs halve the colours. */
    size: Type.Tuple([Side, Side]),
    /** Pictures per second. */
    rate: Type.Integer({ minimum: 1, maximum: 60 }),
    hasLegend: Type.Boolean(),
    hasCaption: Type.Boolean(),
    /** All panes, not the one that is worked in alone. */
    hasAllPanes: Type.Optional(Type.Boolean()),
    /** Exhibit that is drawn beside the view. */
    chart: Type.Optional(Id),
  },
  closed,
)

export type FilmFormat = (typeof filmFormats)[number]
export type FilmLeg = Static<typeof FilmLegSchema>
export type Film = Static<typeof FilmSchema>

/** Ending of the file of a film. */
export function endingOf(format: FilmFormat): string {
  return format === 'png' ? 'zip' : format
}
