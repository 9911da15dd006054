/**
 * What a case holds: parts, sets, fields, moments. Schemas once, types from them.
 *
 * The schemas are complete; what is not read or computed yet is refused where it is asked for, with a sentence.
 */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'
import { roles } from './roles'

const Name = Type.String({ minLength: 1, maxLength: 500 })
const UnitText = Type.Union([Type.String({ maxLength: 60 }), Type.Null()])
const Bounds = Type.Array(Type.Union([Type.Number(), Type.Null()]), { minItems: 6, maxItems: 6 })

export const PlaceSchema = Type.Union(
  ['point', 'cell', 'corner', 'integration point', 'face', 'boundary face', 'whole case'].map((place) => Type.Literal(place)),
)

export const FieldKindSchema = Type.Union(['scalar', 'vector', 'symmetric tensor', 'tensor', 'other'].map((kind) => Type.Literal(kind)))

/** Interfaces link two surfaces whose points are not shared. */
export const InterfaceSchema = Type.Object({
  surfaces: Type.Tuple([Name, Name]),
  kind: Type.Union([Type.Literal('touching'), Type.Literal('sliding'), Type.Literal('periodic')]),
  rotation: Type.Optional(Type.Object({ axis: Type.Array(Type.Number(), { minItems: 3, maxItems: 3 }), angle: Type.Number() })),
  shift: Type.Optional(Type.Array(Type.Number(), { minItems: 3, maxItems: 3 })),
})

/** Constants that a material may have, with their units. */
export const materialUnits: Readonly<Record<string, string>> = {
  density: 'kg/m³',
  viscosity: 'Pa·s',
  conductivity: 'W/(m·K)',
  heat_capacity: 'J/(kg·K)',
  elasticity: 'Pa',
}

export const MaterialSchema = Type.Object(
  {
    name: Type.String({ maxLength: 100 }),
    constants: Type.Record(Type.String({ pattern: `^(${Object.keys(materialUnits).join('|')})$` }), Type.Number(), {
      additionalProperties: false,
    }),
  },
  { additionalProperties: false },
)

const Origin = Type.Union([Type.Literal('file'), Type.Literal('guess'), Type.Literal('user')])

export const RoleSchema = Type.Object({ is: Type.Union(roles.map((role) => Type.Literal(role))), from: Origin })

export const PartSchema = Type.Object({
  name: Name,
  /** 0 points, 1 beams and lines, 2 shells and surfaces, 3 volumes. */
  dimension: Type.Integer({ minimum: 0, maximum: 3 }),
  cells: Type.Integer({ minimum: 0 }),
  points: Type.Integer({ minimum: 0 }),
  cellTypes: Type.Record(Type.String(), Type.Integer()),
  bounds: Bounds,
  /** Regions a surface bounds; its normal points out of the first. */
  owners: Type.Optional(Type.Array(Name)),
  /** Of regions: constants in coherent SI by their name in formulas. */
  material: Type.Optional(MaterialSchema),
  /** Of regions that are meant to be one layer of cells thick. */
  isPlane: Type.Optional(Type.Boolean()),
  /** Of tables without places: what their points stand along, by x in this unit. Such a part is plotted, not drawn. */
  abscissa: Type.Optional(Type.Object({ name: Name, unit: UnitText, unitFrom: Type.Optional(Origin) })),
  /** Of points: what each is called, by the number, from 1, that a field has there. */
  labels: Type.Optional(Type.Object({ by: Name, texts: Type.Array(Type.String({ maxLength: 100 })) })),
  /** Of surfaces. */
  role: Type.Optional(RoleSchema),
  /** Cells that were inside out in the file and have been turned. */
  turnedCells: Type.Optional(Type.Integer()),
  /** Cells that are ghosts or blanked, left out of sums and skins. */
  ghostCells: Type.Optional(Type.Integer()),
})

export const SetSchema = Type.Object({
  name: Name,
  of: Type.Union([Type.Literal('points'), Type.Literal('cells'), Type.Literal('faces')]),
  part: Name,
  count: Type.Integer({ minimum: 0 }),
})

export const FieldSchema = Type.Object({
  name: Name,
  place: PlaceSchema,
  kind: FieldKindSchema,
  isComplex: Type.Optional(Type.Boolean()),
  components: Type.Integer({ minimum: 1 }),
  numberType: Type.String(),
  unit: UnitText,
  /** Where the unit comes from: the file, a guess, or the user. */
  unitFrom: Type.Optional(Origin),
  /** Scalars of the file that were joined to this vector or tensor. */
  from: Type.Optional(Type.Array(Name)),
  layer: Type.Optional(Type.String()),
  axes: Type.Optional(Type.String()),
  parts: Type.Array(Name),
  /** Indices of the moments at which the field exists. */
  moments: Type.Array(Type.Integer({ minimum: 0 })),
  /** Of the whole case: its number at every moment. */
  values: Type.Optional(Type.Array(Type.Union([Type.Number(), Type.Null()]))),
})

export const MomentSchema = Type.Object({
  index: Type.Integer({ minimum: 0 }),
  kind: Type.Union(['time', 'step', 'load case', 'mode', 'frequency', 'iteration', 'index'].map((kind) => Type.Literal(kind))),
  label: Type.String(),
  value: Type.Union([Type.Number(), Type.Null()]),
  unit: UnitText,
  isComplex: Type.Optional(Type.Boolean()),
  /** Versions of topology and coordinates: equal numbers mean the same mesh. */
  topology: Type.Integer(),
  coordinates: Type.Integer(),
})

export const CatalogueSchema = Type.Object({
  format: Type.String(),
  lengthUnit: UnitText,
  lengthUnitFrom: Origin,
  timeUnit: UnitText,
  parts: Type.Array(PartSchema),
  sets: Type.Array(SetSchema),
  interfaces: Type.Array(InterfaceSchema),
  fields: Type.Array(FieldSchema),
  moments: Type.Array(MomentSchema),
  cautions: Type.Array(Type.String()),
})

export type Material = Static<typeof MaterialSchema>
export type Part = Static<typeof PartSchema>
export type Field = Static<typeof FieldSchema>
export type Moment = Static<typeof MomentSchema>
export type Catalogue = Static<typeof CatalogueSchema>

export type Place = Static<typeof PlaceSchema>

/**
 * How values of a place are stored on a part: fluxes and boundary values by the faces of surfaces, which are their cells; of
 * integration points the mean of each cell; of corners by point, since each cell has points of its own then.
 */
export function storedPlace(place: Place): 'point' | 'cell' {
  return place === 'point' || place === 'corner' ? 'point' : 'cell'
}

/** As it is said: “on points”, “on the whole case”. */
/** The moment to show first: the last time of a run; the first mode or load case. */
export function tellingMoment({ moments }: Pick<Catalogue, 'moments'>): number {
  return moments.every((m) => m.kind === 'time') ? Math.max(0, moments.length - 1) : 0
}

export function placeWords(place: Place): string {
  return place === 'whole case' ? 'the whole case' : `${place}s`
}

export function kindOfComponents(components: number): string {
  return { 1: 'scalar', 3: 'vector', 6: 'symmetric tensor', 9: 'tensor' }[components] ?? 'other'
}

/** Whether a case is a table: rows, points or lines that stand beside simulations and are not compared with them as runs are. */
export function isTableCase({ format }: Pick<Catalogue, 'format'>): boolean {
  return format === 'Table'
}
