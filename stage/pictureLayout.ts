/** What of a picture is where: its frame, the part of the frame that is kept, and the legends. Pixels from the top left of the frame. */
import { RULER_ROOM, rulerRects } from './annotations'
import { legendSize, legendToPlace } from './legend'
import type { LegendSpec } from './legend'
import { convexHull, covered, placeLegends } from './legendPlaces'
import type { Rect } from './legendPlaces'

export interface LayoutWishes {
  /** Pixels of the picture; where it is cropped it is as wide, or narrower so that it is not higher. */
  width: number
  height: number
  pixelsPerPoint: number
  legends: readonly LegendSpec[]
  remarks: readonly string[]
  hasRulers?: boolean
  /** Legends stand beside the whole frame, so that they keep their places whatever moves in it. */
  isSteady?: boolean
  /** Margin in points about what is drawn; the whole view when undefined. */
  margin?: number | undefined
}

export interface PictureLayout {
  frame: [number, number]
  /** The picture within the frame. */
  area: Rect
  legends: { spec: LegendSpec; rect: Rect }[]
  remarks: readonly string[]
}

/** Where the model is in a frame of some size. */
export type Outline = (frame: readonly [number, number]) => [number, number][]

const GAP = 10
const REMARK = 12
/** Width of a letter of them, at most. */
const LETTER = 6
/** Below these a picture cannot be cropped: there is nothing in view. */
const LEAST = 4
/** Times that the frame is brought nearer to what makes the cropped picture as large as it must be. */
const ROUNDS = 12
/** Smallest frame, as a share of the picture: legends may be larger than the picture is to be. */
const SMALLEST = 0.01

export function pictureLayout(wishes: LayoutWishes, outline: Outline, aspect: number): PictureLayout {
  const { width, height, margin } = wishes
  if (margin === undefined) return whole(wishes, outline, aspect)
  let frame: [number, number] = [width, width / aspect]
  for (let round = 0; round < ROUNDS; round++) {
    const { area } = cropped(frame, wishes, outline(frame), margin)
    const larger = Math.min(width / area.width, height / area.height)
    if (Math.abs(larger - 1) * Math.max(area.width, area.height) < 0.5) break
    const across = Math.max(SMALLEST * width, frame[0] * larger)
    frame = [across, across / aspect]
  }
  const found = cropped(frame, wishes, outline(frame), margin)
  const { x, y, ...kept } = found.area
  const [across, up] = [Math.round(kept.width), Math.round(kept.height)].map((side) => Math.max(LEAST, side)) as [number, number]
  const isLower = height / kept.height < width / kept.width
  // the side that was asked for is met to the pixel
  const size = isLower ? { width: across, height } : { width, height: up }
  return { ...found, area: { x: Math.round(x), y: Math.round(y), ...size } }
}

/** Shares of the size of the legends by which the frame is made narrower, or lower, until they are clear of the model. */
const SPARED = [0.25, 0.5, 0.75, 1]

/** Not cropped: where legends would lie on the model it is drawn as much smaller as gives them room, at the right or below. */
function whole(wishes: LayoutWishes, outline: Outline, aspect: number): PictureLayout {
  const { width, height, pixelsPerPoint: k, legends, isSteady } = wishes
  const room = { x: 0, y: 0, width, height }
  const own = legends.filter(({ place }) => !place).map((spec) => legendSize(spec).map((points) => (points + 2 * GAP) * k))
  const [widest, tallest] = [0, 1].map((axis) => Math.max(0, ...own.map((size) => size[axis]!))) as [number, number]
  const frames = SPARED.flatMap((share): [number, number][] => [
    [width - share * widest, height],
    [width, height - share * tallest],
  ])
  const scaleIn = ([across, up]: [number, number]): number => Math.min(across / aspect, up)
  const spared = frames.filter(([across, up]) => across > width / 2 && up > height / 2).sort((a, b) => scaleIn(b) - scaleIn(a))
  let first: PictureLayout | undefined
  for (const frame of [[width, height] as [number, number], ...spared]) {
    const model = isSteady ? outlineOf(frame) : outline(frame)
    const layout = layoutIn(frame, room, wishes, model)
    const hull = convexHull(model)
    if (layout.legends.every(({ spec, rect }) => spec.place || covered(hull, rect) === 0)) return layout
    first ??= layout
  }
  return first!
}

function outlineOf([width, height]: readonly [number, number]): [number, number][] {
  return [
    [0, 0],
    [width, 0],
    [width, height],
    [0, height],
  ]
}

function layoutIn(frame: [number, number], room: Rect, wishes: LayoutWishes, outline: readonly [number, number][]): PictureLayout {
  const { pixelsPerPoint: k, legends, remarks } = wishes
  const model = outline.map(([x, y]): [number, number] => [x - room.x, y - room.y])
  const letters = Math.max(0, ...remarks.map((text) => text.length))
  const below = remarks.length
    ? [
        {
          x: 0,
          y: room.height - (remarks.length * REMARK + GAP) * k,
          width: (GAP + LETTER * letters) * k,
          height: remarks.length * REMARK * k,
        },
      ]
    : []
  const sized = legends.map((spec) => legendToPlace(spec, k))
  const taken = [...below, ...(wishes.hasRulers ? rulerRects(room.width, room.height, k) : [])]
  const rects = placeLegends({ width: room.width, height: room.height, model, taken, gap: GAP * k }, sized)
  return {
    frame,
    area: room,
    legends: rects.map((rect, i) => ({ spec: legends[i]!, rect: { ...rect, x: rect.x + room.x, y: rect.y + room.y } })),
    remarks,
  }
}

/** The model with its legends beside it, and a margin. */
function cropped(frame: [number, number], wishes: LayoutWishes, outline: readonly [number, number][], margin: number): PictureLayout {
  const { pixelsPerPoint: k, legends, remarks } = wishes
  const model = boundsOf(outline.map(([x, y]) => ({ x, y, width: 0, height: 0 }))) ?? { x: 0, y: 0, width: frame[0], height: frame[1] }
  const beside = Math.max(0, ...legends.map((spec) => legendSize(spec)[0] * k + 2 * GAP * k))
  const tallest = legends.reduce((sum, spec) => sum + (legendSize(spec)[1] + GAP) * k, 0)
  const room = { ...model, width: model.width + beside, height: Math.max(model.height, tallest + GAP * k) }
  const laid = layoutIn(frame, room, { ...wishes, remarks: [], hasRulers: false }, outline)
  const all = boundsOf([model, ...laid.legends.map(({ rect }) => rect)])!
  const pad = margin * k
  const rulers = wishes.hasRulers ? RULER_ROOM : { left: 0, lower: 0 }
  const lines = remarks.length * REMARK * k
  const [left, lower] = [rulers.left * k, rulers.lower * k]
  const area = { x: all.x - pad - left, y: all.y - pad, width: all.width + 2 * pad + left, height: all.height + 2 * pad + lines + lower }
  return { ...laid, area, remarks }
}

function boundsOf(rects: readonly Rect[]): Rect | undefined {
  if (!rects.length) return undefined
  const x = Math.min(...rects.map((rect) => rect.x))
  const y = Math.min(...rects.map((rect) => rect.y))
  return {
    x,
    y,
    width: Math.max(...rects.map((rect) => rect.x + rect.width)) - x,
    height: Math.max(...rects.map((rect) => rect.y + rect.height)) - y,
  }
}
