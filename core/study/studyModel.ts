/**
 * The study document: plain JSON, things in maps by id with a rank. Schemas once, types from them.
 *
 * Steps and looks hold ids of parts, variables and formulas; names are for people. A binding says, for each case, which
 * of its own parts or fields is meant.
 */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'
import { MOST_LEVELS } from '../colour/scale'
import { numberFormats } from '../colour/ticks'
import { axesKinds } from '../fields/formula/axes'
import { VectorSchema } from '../mesh/vectors'

import { ChartCurveSchema, ChartLookSchema } from './chart'
import { FilmSchema } from './film'
import { matches } from './moments'
import { OverSchema } from './over'
import { MOST_PANES, PaneSchema, SplitSchema } from './panes'

export const STUDY_VERSION = 1

const Id = Type.String({ pattern: '^[a-z][a-z0-9-]{0,60}$' })
const Name = Type.String({ minLength: 1, maxLength: 200 })
const Rank = Type.Number()
const closed = { additionalProperties: false }

export const InputRefSchema = Type.Union([
  Type.Object({ part: Id }, closed),
  Type.Object({ outer: Id }, closed),
  Type.Object({ step: Id }, closed),
])

export const rangeModes = ['everything', 'moment', 'step', 'view', 'middle', 'symmetric', 'hand', 'locked'] as const

/** A colour, or not drawn. */
const OwnColour = Type.Union([Type.Literal('hidden'), Type.String({ pattern: '^#[0-9a-fA-F]{6}$' })])
/** Small values, large ones, or those in the middle. */
export const fades = ['low', 'high', 'middle'] as const

/** What is drawn on surfaces: border and creases, borders of cells, points, or the box that holds all of it. */
export const edgeForms = ['none', 'outline', 'cells', 'points', 'box'] as const
/** What stands above points: their values, or what the file calls them. */
export const pointLabels = ['value', 'name'] as const
export const lineForms = ['flat', 'tube', 'ribbon'] as const

export const LookSchema = Type.Object(
  {
    /** Variable or formula id; null for a plain colour. */
    variable: Type.Union([Id, Type.Null()]),
    plain: Type.String({ pattern: '^#[0-9a-fA-F]{6}$' }),
    map: Type.String({ maxLength: 40 }),
    range: Type.Object(
      {
        mode: Type.Union(rangeModes.map((m) => Type.Literal(m))),
        min: Type.Number(),
        max: Type.Number(),
        /** Middle of a symmetric one; 0 when absent. */
        about: Type.Optional(Type.Number()),
      },
      closed,
    ),
    isLog: Type.Optional(Type.Boolean()),
    isReversed: Type.Optional(Type.Boolean()),
    /** Listed: one colour between each and the next. */
    levels: Type.Optional(Type.Array(Type.Number(), { minItems: 2, maxItems: MOST_LEVELS })),
    /** Levels at multiples of this. */
    bandStep: Type.Optional(Type.Number({ exclusiveMinimum: 0 })),
    /** What lies beyond the range, held at its ends when absent, and what is no number. */
    low: Type.Optional(OwnColour),
    high: Type.Optional(OwnColour),
    blank: Type.Optional(OwnColour),
    /** Values that are seen through. */
    fade: Type.Optional(Type.Union(fades.map((fade) => Type.Literal(fade)))),
    /** 0: smooth */
    bands: Type.Integer({ minimum: 0, maximum: 256 }),
    opacity: Type.Number({ minimum: 0, maximum: 1 }),
    edges: Type.Union(edgeForms.map((form) => Type.Literal(form))),
    /** Line width in points. */
    width: Type.Number({ minimum: 0.1, maximum: 50 }),
    /** Of surfaces: only the side that the normal points away from the viewer at is left out. */
    isOneSided: Type.Optional(Type.Boolean()),
    /** Of lines: towards the viewer, shaded as tubes, or bands that turn as little as they can; flat when absent. */
    form: Type.Optional(Type.Union(lineForms.map((form) => Type.Literal(form)))),
    /** Of lines: a dark rim; as their kind has it when absent. */
    hasHalo: Type.Optional(Type.Boolean()),
    /** Line width in the length unit of the case instead. */
    thickness: Type.Optional(Type.Number({ exclusiveMinimum: 0 })),
    /** Of points. */
    labels: Type.Optional(Type.Union(pointLabels.map((what) => Type.Literal(what)))),
  },
  closed,
)

export const corners = ['top-left', 'top-right', 'bottom-left', 'bottom-right'] as const

/** How the legend of a variable looks, as far as that was chosen. */
export const LegendSchema = Type.Object(
  {
    /** Its own title, with `_` and `^` and Greek letters by name. */
    title: Type.Optional(Type.String({ minLength: 1, maxLength: 120 })),
    format: Type.Optional(Type.Union(numberFormats.map((format) => Type.Literal(format)))),
    digits: Type.Optional(Type.Integer({ minimum: 0, maximum: 12 })),
    nTicks: Type.Optional(Type.Integer({ minimum: 2, maximum: 30 })),
    /** Places of the ticks instead, in the unit of the file. */
    ticks: Type.Optional(Type.Array(Type.Number(), { minItems: 1, maxItems: 50 })),
    /** Type size and length of the bar, in points. */
    size: Type.Optional(Type.Number({ minimum: 4, maximum: 60 })),
    length: Type.Optional(Type.Number({ minimum: 40, maximum: 2000 })),
    isLying: Type.Optional(Type.Boolean()),
    ground: Type.Optional(Type.Union([Type.Literal('white'), Type.Literal('stage')])),
    hasFrame: Type.Optional(Type.Boolean()),
    /** Where it was put: points from a corner inwards. It finds a place by itself when absent. */
    place: Type.Optional(
      Type.Object(
        {
          corner: Type.Union(corners.map((corner) => Type.Literal(corner))),
          x: Type.Number({ minimum: 0 }),
          y: Type.Number({ minimum: 0 }),
        },
        closed,
      ),
    ),
    isHidden: Type.Optional(Type.Boolean()),
  },
  closed,
)

export const ViewSchema = Type.Object(
  {
    name: Name,
    rank: Rank,
    camera: Type.Object(
      {
        position: VectorSchema,
        target: VectorSchema,
        zoom: Type.Number(),
        up: Type.Optional(VectorSchema),
        /** Degrees from the lower to the upper end of the view; parallel when absent. */
        angle: Type.Optional(Type.Number({ minimum: 1, maximum: 120 })),
      },
      closed,
    ),
  },
  closed,
)

export const NoteSchema = Type.Object(
  {
    text: Type.String({ minLength: 1, maxLength: 300 }),
    rank: Rank,
    /** Place that it is tied to, or the smallest or largest value of a step, wherever that is. */
    at: VectorSchema,
    extreme: Type.Optional(Type.Object({ step: Id, which: Type.Union([Type.Literal('min'), Type.Literal('max')]) }, closed)),
    /** Of the text from there, in points to the right and down. */
    offset: Type.Tuple([Type.Number(), Type.Number()]),
  },
  closed,
)

export const MarksSchema = Type.Object(
  {
    /** A box about everything with ticks and units. */
    hasBox: Type.Optional(Type.Boolean()),
    /** Corners are darker: ambient occlusion. */
    hasOcclusion: Type.Optional(Type.Boolean()),
    /** Coordinates or lengths along the edges of a parallel view. */
    hasRulers: Type.Optional(Type.Boolean()),
    /** Case and moment, and a bar that says how long things are: on pictures, since the stage says so anyway. */
    hasCaption: Type.Optional(Type.Boolean()),
    hasScaleBar: Type.Optional(Type.Boolean()),
    notes: Type.Optional(Type.Record(Id, NoteSchema)),
  },
  closed,
)

export const MapSchema = Type.Object(
  { title: Name, colours: Type.Array(Type.String({ pattern: '^#[0-9a-fA-F]{6}$' }), { minItems: 2, maxItems: 256 }) },
  closed,
)

export const StepSchema = Type.Object(
  {
    kind: Type.String({ maxLength: 40 }),
    name: Name,
    rank: Rank,
    /** Steps of one name that stand together in the trail. */
    group: Type.Optional(Name),
    isMuted: Type.Boolean(),
    isShown: Type.Boolean(),
    inputs: Type.Record(Type.String(), Type.Array(InputRefSchema, { maxItems: 1000 })),
    settings: Type.Record(Type.String(), Type.Unknown()),
    /** Settings that differ in some cases, by their ids in the study. */
    cases: Type.Optional(Type.Record(Id, Type.Record(Type.String(), Type.Unknown()))),
    look: LookSchema,
    /** What a reading or a curve is taken over; once, at the moment that is shown, when absent. */
    over: Type.Optional(OverSchema),
    /** What a reading must keep to, as it was said: “at most 500 Pa”. */
    limit: Type.Optional(Type.String({ minLength: 1, maxLength: 200 })),
  },
  closed,
)

const BindingSchema = Type.Record(Type.String(), Type.Array(Type.String()))

export const StudyPartSchema = Type.Object(
  {
    name: Name,
    rank: Rank,
    dimension: Type.Integer({ minimum: 0, maximum: 3 }),
    /** Rows without positions, which can only be plotted. */
    isTable: Type.Optional(Type.Boolean()),
    binding: BindingSchema,
  },
  closed,
)

export const VariableSchema = Type.Object(
  {
    name: Name,
    rank: Rank,
    components: Type.Integer({ minimum: 1 }),
    /** Field name by case, with a factor where a case stores something else. */
    binding: Type.Record(Type.String(), Type.Object({ field: Type.String(), factor: Type.Optional(Type.Number()) }, closed)),
  },
  closed,
)

export const FormulaSchema = Type.Object({ name: Name, rank: Rank, text: Type.String({ maxLength: 10_000 }) }, closed)

export const AxesSchema = Type.Object(
  {
    name: Name,
    rank: Rank,
    kind: Type.Union(axesKinds.map((kind) => Type.Literal(kind))),
    origin: VectorSchema,
    z: VectorSchema,
    x: VectorSchema,
    /** Turns per second about z; 0 for axes at rest. */
    rotation: Type.Number(),
  },
  closed,
)

export const StudyCaseSchema = Type.Object(
  { case: Type.String(), name: Name, rank: Rank, colour: Type.String(), isBase: Type.Boolean() },
  closed,
)

export const ExhibitSchema = Type.Object(
  {
    kind: Type.Union(['reading', 'chart', 'figure', 'film'].map((k) => Type.Literal(k))),
    name: Name,
    rank: Rank,
    step: Type.Union([Id, Type.Null()]),
    /** Of a chart; that of its step alone when absent. */
    curves: Type.Optional(Type.Array(ChartCurveSchema, { maxItems: 200 })),
    look: Type.Optional(ChartLookSchema),
    /** Last value with what it was made from; kept so that a report can say what changed. */
    last: Type.Optional(
      Type.Object(
        { value: Type.Number(), unit: Type.Union([Type.String(), Type.Null()]), key: Type.String(), moment: Type.Integer() },
        closed,
      ),
    ),
  },
  closed,
)

export const StudySchema = Type.Object(
  {
    schema: Type.Literal('stavik-study'),
    version: Type.Literal(STUDY_VERSION),
    name: Name,
    cases: Type.Record(Id, StudyCaseSchema),
    parts: Type.Record(Id, StudyPartSchema),
    variables: Type.Record(Id, VariableSchema),
    formulas: Type.Record(Id, FormulaSchema),
    axes: Type.Record(Id, AxesSchema),
    steps: Type.Record(Id, StepSchema),
    exhibits: Type.Record(Id, ExhibitSchema),
    /** What is seen beside one another; one pane with the chosen case when absent. */
    panes: Type.Optional(Type.Record(Id, PaneSchema, { maxProperties: MOST_PANES })),
    split: Type.Optional(SplitSchema),
    /** How moments of cases stand for each other; the nearest when absent. */
    match: Type.Optional(Type.Union(matches.map((match) => Type.Literal(match)))),
    /** The film that was made of it. */
    film: Type.Optional(FilmSchema),
    /** Colour maps of its own. */
    maps: Type.Optional(Type.Record(Id, MapSchema)),
    /** Kept places to look from. */
    views: Type.Optional(Type.Record(Id, ViewSchema)),
    /** What is written over the scene. */
    marks: Type.Optional(MarksSchema),
    /** Of legends, by their variable. */
    legends: Type.Optional(Type.Record(Type.String({ maxLength: 200 }), LegendSchema)),
    /** Units to show, by `dimensionKey`; what is not listed is shown in the unit of its file. */
    units: Type.Optional(Type.Record(Type.String({ maxLength: 60 }), Type.String({ maxLength: 60 }))),
  },
  closed,
)

export type InputRef = Static<typeof InputRefSchema>
export type Look = Static<typeof LookSchema>
export type StudyView = Static<typeof ViewSchema>
export type StudyNote = Static<typeof NoteSchema>
export type LegendOptions = Static<typeof LegendSchema>
export type Step = Static<typeof StepSchema>
export type StudyPart = Static<typeof StudyPartSchema>
export type Variable = Static<typeof VariableSchema>
export type StudyAxes = Static<typeof AxesSchema>
export type Formula = Static<typeof FormulaSchema>
export type Exhibit = Static<typeof ExhibitSchema>
export type StudyCase = Static<typeof StudyCaseSchema>
export type Study = Static<typeof StudySchema>

/** Whether a step is computed: it is shown and not muted. */
export function isSeen({ isShown, isMuted }: Pick<Step, 'isShown' | 'isMuted'>): boolean {
  return isShown && !isMuted
}

/** Entries of a map by rank. */
export function ranked<T extends { rank: number }>(map: Record<string, T>): [string, T][] {
  return Object.entries(map).sort(([, a], [, b]) => a.rank - b.rank)
}

/** A rank between two neighbours; after the last without `before`. */
export function rankBetween(after: number | undefined, before: number | undefined): number {
  if (after === undefined) return before === undefined ? 1 : before - 1
  return before === undefined ? after + 1 : (after + before) / 2
}

/** Ranks nearer than this leave no room between them. */
const LEAST_GAP = 1e-6

/** Numbers all anew where two came too near to each other, by being put between others again and again. Changes a draft. */
export function spreadRanks(map: Record<string, { rank: number }>): void {
  const all = ranked(map)
  const isTight = all.some(([, { rank }], i) => i > 0 && rank - all[i - 1]![1].rank < LEAST_GAP)
  if (isTight) all.forEach(([, entry], i) => (entry.rank = i + 1))
}

/** An id that is free in the maps: from a name, with a number where it is taken. */
export function freshId(name: string, ...maps: Record<string, unknown>[]): string {
  const stem =
    name
      .toLowerCase()
      .normalize('NFKD')
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^[^a-z]+|-+$/g, '')
      .slice(0, 40) || 'thing'
  for (let n = 1; ; n++) {
    const id = n === 1 ? stem : `${stem}-${n}`
    if (!maps.some((map) => id in map)) return id
  }
}

type Named = Readonly<Record<string, { name: string }>>

/** Name of a variable or formula, or the id itself where it names a column such as `travel-time`. */
export function variableName({ formulas, variables }: { formulas: Named; variables: Named }, id: string): string {
  return formulas[id]?.name ?? variables[id]?.name ?? id
}

/** Takes values over; undefined takes out what is optional. Changes a draft. */
export function putOptional<T extends object>(target: T, change: { [K in keyof T]?: T[K] | undefined }): void {
  const own = target as Record<string, unknown>
  for (const [key, value] of Object.entries(change)) {
    if (value === undefined) delete own[key]
    else own[key] = value
  }
}

/** What of a look says how values become colours, besides the variable: undefined where it is not chosen. */
export function coloursOf({ map, bands, range, isLog, isReversed, levels, bandStep, low, high, blank }: Look) {
  return { map, bands, range, isLog, isReversed, levels, bandStep, low, high, blank }
}

/** A copy of plain data, of drafts and of what is watched for changes too. */
export function plainCopy<T>(data: T): T {
  return JSON.parse(JSON.stringify(data)) as T
}
