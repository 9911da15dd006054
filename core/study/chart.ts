/** What a chart draws and how it looks, as far as that was chosen. */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'
import { readAmount } from '../units/typedNumbers'
import type { TypedNumber } from '../units/typedNumbers'

const closed = { additionalProperties: false }
const Id = Type.String({ pattern: '^[a-z][a-z0-9-]{0,60}$' })
const Text = Type.String({ minLength: 1, maxLength: 200 })
const Colour = Type.String({ pattern: '^#[0-9a-fA-F]{6}$' })
const oneOf = <T extends string>(values: readonly T[]) => Type.Union(values.map((value) => Type.Literal(value)))

export const axisNames = ['x', 'y', 'right'] as const
export const lineDashes = ['solid', 'dashed', 'dotted', 'dash-dot'] as const
export const markShapes = ['none', 'circle', 'square', 'triangle', 'cross'] as const
/** Small charts beside each other with the same axes: one for each curve, or for each case. */
export const partings = ['curves', 'cases'] as const
export const legendPlaces = ['auto', 'none', 'top left', 'top right', 'bottom left', 'bottom right', 'above'] as const

const AxisSchema = Type.Object(
  {
    /** Ends in the unit of the values before they are shown in another; found from the values when absent. */
    range: Type.Optional(Type.Tuple([Type.Number(), Type.Number()])),
    isLog: Type.Optional(Type.Boolean()),
    isReversed: Type.Optional(Type.Boolean()),
    /** Instead of quantity and unit. */
    title: Type.Optional(Text),
  },
  closed,
)

/** A line at a value of an axis, or a band between two, in the unit of the values before they are shown in another. */
const RuleSchema = Type.Object(
  { axis: oneOf(axisNames), at: Type.Number(), to: Type.Optional(Type.Number()), text: Type.Optional(Text) },
  closed,
)

export const ChartLookSchema = Type.Object(
  {
    x: Type.Optional(AxisSchema),
    y: Type.Optional(AxisSchema),
    right: Type.Optional(AxisSchema),
    /** The field is drawn to the right and the length upwards, as profiles are. */
    isTurned: Type.Optional(Type.Boolean()),
    /** Above the chart. */
    title: Type.Optional(Text),
    legend: Type.Optional(oneOf(legendPlaces)),
    apart: Type.Optional(oneOf(partings)),
    hasNoGrid: Type.Optional(Type.Boolean()),
    /** Type size and width of lines, points. */
    size: Type.Optional(Type.Number({ minimum: 4, maximum: 40 })),
    width: Type.Optional(Type.Number({ minimum: 0.1, maximum: 20 })),
    /** Width over height of pictures. */
    aspect: Type.Optional(Type.Number({ minimum: 0.1, maximum: 10 })),
    rules: Type.Optional(Type.Array(RuleSchema, { maxItems: 50 })),
  },
  closed,
)

export const ChartCurveSchema = Type.Object(
  {
    step: Id,
    isRight: Type.Optional(Type.Boolean()),
    isHidden: Type.Optional(Type.Boolean()),
    /** With placeholders in braces: case, moment, step, variable. */
    name: Type.Optional(Text),
    colour: Type.Optional(Colour),
    dash: Type.Optional(oneOf(lineDashes)),
    marks: Type.Optional(oneOf(markShapes)),
    /** Marks without a line between them. */
    isLoose: Type.Optional(Type.Boolean()),
    /** As typed: what coordinates are divided by, and what is added to them before. */
    xOver: Type.Optional(Text),
    yOver: Type.Optional(Text),
    xPlus: Type.Optional(Text),
    yPlus: Type.Optional(Text),
  },
  closed,
)

/** What of a curve is its style. */
const styles = ['colour', 'dash', 'marks', 'isLoose'] as const

/** A look that fits any chart: what belongs to the values of one is left out. Styles of curves by their order. */
export const ChartTemplateSchema = Type.Object(
  {
    look: ChartLookSchema,
    curves: Type.Array(Type.Pick(ChartCurveSchema, styles, closed), { maxItems: 100 }),
  },
  closed,
)

export const KeptTemplateSchema = Type.Object(
  { name: Type.String({ minLength: 1, maxLength: 100 }), template: ChartTemplateSchema },
  closed,
)

export type ChartTemplate = Static<typeof ChartTemplateSchema>
export type KeptTemplate = Static<typeof KeptTemplateSchema>
export type Parting = (typeof partings)[number]
export type AxisName = (typeof axisNames)[number]
export type ChartLook = Static<typeof ChartLookSchema>
export type ChartAxis = Static<typeof AxisSchema>
export type ChartRule = Static<typeof RuleSchema>
export type ChartCurve = Static<typeof ChartCurveSchema>

/** Curves of a chart; one that was never changed has that of its step. */
export function curvesOf({ step, curves }: { step: string | null; curves?: readonly ChartCurve[] }): readonly ChartCurve[] {
  return curves ?? (step === null ? [] : [{ step }])
}

interface Styled {
  step: string | null
  curves?: readonly ChartCurve[]
  look?: ChartLook
}

/** The look of a chart for others. Ranges, titles and lines at values belong to what it draws. */
export function templateOf(chart: Styled): ChartTemplate {
  const { rules: _, title: __, x, y, right, ...look } = chart.look ?? {}
  const axes = Object.entries({ x, y, right }).flatMap(([axis, own]) => (own ? [[axis, ofAnyValues(own)] as const] : []))
  return { look: { ...look, ...Object.fromEntries(axes) }, curves: curvesOf(chart).map((curve) => entriesOf(curve, isStyle)) }
}

function isStyle(key: string): boolean {
  return styles.some((style) => style === key)
}

/** Of a curve what has such keys. */
function entriesOf(curve: ChartCurve, has: (key: string) => boolean): Partial<ChartCurve> {
  return Object.fromEntries(Object.entries(curve).filter(([key, value]) => value !== undefined && has(key)))
}

function ofAnyValues({ range: _, title: __, ...rest }: ChartAxis): ChartAxis {
  return rest
}

/** A chart with the look of another; it keeps what belongs to its values. Curves beyond those of the template stay as they are. */
export function withTemplate(chart: Styled, { look, curves }: ChartTemplate): { look: ChartLook; curves: ChartCurve[] } {
  const own = chart.look ?? {}
  const { x: _x, y: _y, right: _right, ...plain } = look
  const axes = axisNames.flatMap((axis) => {
    const { range, title } = own[axis] ?? {}
    const put = { ...look[axis], ...(range && { range }), ...(title !== undefined && { title }) }
    return Object.keys(put).length ? [[axis, put] as const] : []
  })
  const { rules, title } = own
  return {
    look: { ...plain, ...Object.fromEntries(axes), ...(rules && { rules }), ...(title !== undefined && { title }) },
    curves: curvesOf(chart).map((curve, i) => {
      const own = curves[i] ? entriesOf(curve, (key) => !isStyle(key)) : curve
      return { ...own, step: curve.step, ...curves[i] }
    }),
  }
}

/** An amount that a chart was given. @returns a sentence on what is wrong */
export function readChartAmount(text: string): TypedNumber | string {
  return readAmount(text, '0.4 m')
}

/** Placeholders in braces, replaced by what they stand for. Others stay as they are: `k_{eff}`. */
export function filledIn(text: string, values: Readonly<Record<string, string>>): string {
  return text.replace(/\{(\w+)\}/g, (all, name: string) => (Object.hasOwn(values, name) ? values[name]! : all))
}
