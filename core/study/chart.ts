/** How a chart looks, as far as that was chosen, and what it cannot show. */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'

const closed = { additionalProperties: false }

const AxisSchema = Type.Object(
  {
    /** Ends in the unit of the curve; found from its values when absent. */
    range: Type.Optional(Type.Tuple([Type.Number(), Type.Number()])),
    isLog: Type.Optional(Type.Boolean()),
    isReversed: Type.Optional(Type.Boolean()),
    /** Instead of quantity and unit. */
    title: Type.Optional(Type.String({ minLength: 1, maxLength: 200 })),
  },
  closed,
)

export const lineDashes = ['solid', 'dashed', 'dotted'] as const
export const legendSides = ['none', 'top', 'right', 'bottom'] as const

export const ChartSchema = Type.Object(
  {
    x: Type.Optional(AxisSchema),
    y: Type.Optional(AxisSchema),
    dash: Type.Optional(Type.Union(lineDashes.map((dash) => Type.Literal(dash)))),
    hasMarkers: Type.Optional(Type.Boolean()),
    /** Points. */
    width: Type.Optional(Type.Number({ minimum: 0.1, maximum: 20 })),
    legend: Type.Optional(Type.Union(legendSides.map((side) => Type.Literal(side)))),
    /** Type size in points. */
    size: Type.Optional(Type.Number({ minimum: 4, maximum: 40 })),
  },
  closed,
)

export type ChartLook = Static<typeof ChartSchema>
export type ChartAxis = Static<typeof AxisSchema>

interface PlainCurve {
  series: readonly { x: readonly (number | null)[]; y: readonly (number | null)[] }[]
}

/** What of a curve does not show as it is drawn, in plain sentences. */
export function chartCautions({ series }: PlainCurve, look: ChartLook): string[] {
  const cautions: string[] = []
  const points = series.flatMap(({ x, y }) => x.flatMap((at, i) => (at === null || y[i] == null ? [] : [{ x: at, y: y[i] }])))
  if (!points.length) cautions.push('There is no point with a value to draw.')
  else if (points.length === 1) cautions.push('There is one point only; it is drawn as a mark.')
  else if (series.every((own) => own.x.length > 1 && new Set(own.x).size === 1)) cautions.push('All points are at the same abscissa.')
  for (const axis of ['x', 'y'] as const) {
    const below = look[axis]?.isLog ? points.filter((point) => point[axis] <= 0).length : 0
    if (below) cautions.push(`${below} of ${points.length} points are not above 0 and have no place on a logarithmic axis.`)
    const [low, high] = look[axis]?.range ?? [-Infinity, Infinity]
    const isSeen = points.some((point) => point[axis] >= Math.min(low, high) && point[axis] <= Math.max(low, high))
    if (points.length && !isSeen) cautions.push('No point lies in the range that was typed.')
  }
  return cautions
}
