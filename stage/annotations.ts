/** What is written over the scene: ticks of axes, notes with leaders, captions. By canvas 2D, the same on the stage and in pictures. */
import { formatNumber, roundBelow, ticks } from '../core/colour/ticks'
import type { Box } from '../core/mesh/MeshBlock'
import { convexHull, overlap } from './legendPlaces'
import type { Rect } from './legendPlaces'
import { fillRich, richWidth } from './richText'

export interface Note {
  id: string
  text: string
  /** Place that it is tied to. */
  at: readonly [number, number, number]
  /** Of its text from there, in points to the right and down. */
  offset: readonly [number, number]
}

export interface Annotations {
  /** Of everything shown, with the unit of lengths and what a length is multiplied by to be in it. */
  axes?: { box: Box; unit: string; factor: number }
  notes: readonly Note[]
  /** At the top left, from the top down. */
  captions: readonly string[]
  /** Along the lower and the left edge of a parallel view. */
  rulers?: Rulers
  /** At the bottom right: the unit of lengths and what a length is multiplied by to be in it. */
  scaleBar?: { unit: string; factor: number }
}

export interface Rulers {
  unit: string
  /** What a length is multiplied by to be in it. */
  factor: number
  /** Directions of the case that go to the right and up. */
  right: readonly [number, number, number]
  up: readonly [number, number, number]
  /** Points that are left free at the lower left. */
  corner: number
}

export type Project = (point: readonly number[]) => readonly [number, number]

const INK = '#1F2A2E'
const HALO = '#F7F8F5'
const SANS = '"IBM Plex Sans", sans-serif'
const MONO = '"IBM Plex Mono", monospace'
const TYPE = 8.5
const NOTE_PAD = 4
const TICK = 4
const font = (size: number): string => `500 ${size}px ${SANS}`

/**
 * @param project  places in pixels from the top left
 * @param scale    pixels per point
 * @param legends  where they stand: notes keep off them
 */
export function drawAnnotations(
  context: CanvasRenderingContext2D,
  { axes, notes, captions }: Annotations,
  project: Project,
  scale: number,
  legends: readonly Rect[] = [],
): void {
  context.save()
  context.textBaseline = 'alphabetic'
  context.lineJoin = 'round'
  if (axes) drawAxes(context, axes, project, scale)
  noteRects(context, notes, project, scale, legends).forEach((rect, i) => drawNote(context, notes[i]!, rect, project, scale))
  captions.forEach((text, i) => {
    context.font = font((TYPE + 1) * scale)
    context.fillStyle = INK
    context.fillText(text, 10 * scale, (14 + 12 * i) * scale)
  })
  context.restore()
}

/**
 * Where the texts of notes stand, in pixels: where they were put, or at another side of their places
 * where a legend or an earlier note is in the way.
 */
export function noteRects(
  context: CanvasRenderingContext2D,
  notes: readonly Note[],
  project: Project,
  scale: number,
  legends: readonly Rect[],
): Rect[] {
  const taken = [...legends]
  return notes.map((note) => {
    const [x, y] = project(note.at)
    const own = noteRect(context, note, [x, y], scale)
    const [across, down] = [2 * x - own.x - own.width, 2 * y - own.y - own.height]
    const sides = [own, { ...own, x: across }, { ...own, y: down }, { ...own, x: across, y: down }]
    const free = sides.find((rect) => !taken.some((other) => overlap(rect, other))) ?? own
    taken.push(free)
    return free
  })
}

function noteRect(context: CanvasRenderingContext2D, { text, offset }: Note, [x, y]: readonly [number, number], scale: number): Rect {
  const width = richWidth(context, text, TYPE * scale, font) + 2 * NOTE_PAD * scale
  const height = (TYPE + 2 * NOTE_PAD) * scale
  return { x: x + offset[0] * scale, y: y + offset[1] * scale - height / 2, width, height }
}

function drawNote(context: CanvasRenderingContext2D, note: Note, rect: Rect, project: Project, scale: number): void {
  const [x, y] = project(note.at)
  // the leader ends at the nearest side of the text
  const end = x < rect.x ? rect.x : x > rect.x + rect.width ? rect.x + rect.width : x
  line(context, [x, y], [end, rect.y + rect.height / 2], HALO, 3 * scale)
  line(context, [x, y], [end, rect.y + rect.height / 2], INK, 0.9 * scale)
  context.fillStyle = INK
  context.beginPath()
  context.arc(x, y, 2 * scale, 0, 2 * Math.PI)
  context.fill()
  context.fillStyle = 'rgba(247, 248, 245, 0.94)'
  context.fillRect(rect.x, rect.y, rect.width, rect.height)
  context.strokeStyle = INK
  context.lineWidth = 0.6 * scale
  context.strokeRect(rect.x, rect.y, rect.width, rect.height)
  context.fillStyle = INK
  fillRich(context, note.text, [rect.x + NOTE_PAD * scale, rect.y + (NOTE_PAD + 0.82 * TYPE) * scale], TYPE * scale, font)
}

function line(
  context: CanvasRenderingContext2D,
  [x0, y0]: readonly [number, number],
  [x1, y1]: readonly [number, number],
  colour: string,
  width: number,
): void {
  context.strokeStyle = colour
  context.lineWidth = width
  context.beginPath()
  context.moveTo(x0, y0)
  context.lineTo(x1, y1)
  context.stroke()
}

/** Longest bar, in points. */
const LONGEST_BAR = 90

/** A round length at the bottom right of a picture without perspective. @param size  of the picture in pixels */
export function drawScaleBar(
  context: CanvasRenderingContext2D,
  { unit, factor }: NonNullable<Annotations['scaleBar']>,
  project: Project,
  [width, height]: readonly [number, number],
  scale: number,
): void {
  // lengths along the screen's width, by what each axis adds to it
  const [x0] = project([0, 0, 0])
  const pixels = Math.hypot(...[0, 1, 2].map((d) => project([0, 1, 2].map((k) => Number(k === d)))[0] - x0)) / factor
  const length = roundBelow((LONGEST_BAR * scale) / pixels)
  if (!length) return
  const [right, bottom] = [width - 10 * scale, height - 10 * scale]
  const left = right - length * pixels
  for (const [a, b] of [
    [
      [left, bottom],
      [right, bottom],
    ],
    [
      [left, bottom - 4 * scale],
      [left, bottom],
    ],
    [
      [right, bottom - 4 * scale],
      [right, bottom],
    ],
  ] as const)
    line(context, a, b, INK, 1.1 * scale)
  context.font = `400 ${TYPE * scale}px ${MONO}`
  context.fillStyle = INK
  const text = unit ? `${formatNumber(length)} ${unit}` : formatNumber(length)
  halo(context, text, (left + right - context.measureText(text).width) / 2, bottom - 5 * scale, scale)
}

/** Points that rulers take at their edges. */
export const RULER_ROOM = { lower: 18, left: 30 }

/** Where rulers stand, in pixels from the top left. @param scale  pixels per point */
export function rulerRects(width: number, height: number, scale: number): Rect[] {
  const [lower, left] = [RULER_ROOM.lower * scale, RULER_ROOM.left * scale]
  return [
    { x: 0, y: height - lower, width, height: lower },
    { x: 0, y: 0, width: left, height },
  ]
}

/** Nearest that ticks of a ruler come, in points. */
const RULER_STEP = 60

/**
 * Places along the lower and the left edge: coordinates where an axis goes along it, else lengths along it from the origin of the case.
 *
 * @param size  of the picture in pixels
 */
export function drawRulers(
  context: CanvasRenderingContext2D,
  { unit, factor, right, up, corner }: Rulers,
  project: Project,
  [width, height]: readonly [number, number],
  scale: number,
): void {
  const origin = project([0, 0, 0])
  context.save()
  context.textBaseline = 'alphabetic'
  context.lineJoin = 'round'
  context.fillStyle = INK
  for (const [direction, isLower] of [
    [right, true],
    [up, false],
  ] as const) {
    const [from, to] = isLower ? [corner * scale, width] : [0, height - corner * scale]
    const d = direction.findIndex((c) => Math.abs(c) > 1 - 1e-6)
    // a coordinate may fall along the edge
    const along = direction.map((c) => (d >= 0 ? Math.abs(c) : c))
    const one = project(along)
    const pixels = (isLower ? one[0] - origin[0] : one[1] - origin[1]) / factor
    const zero = isLower ? origin[0] : origin[1]
    const [a, b] = [(from - zero) / pixels, (to - zero) / pixels]
    const name = d >= 0 ? 'xyz'[d]! : isLower ? 'across' : 'up'
    context.font = `400 ${7.5 * scale}px ${MONO}`
    for (const value of ticks(Math.min(a, b), Math.max(a, b), Math.max(2, (to - from) / (RULER_STEP * scale)))) {
      const at = zero + value * pixels
      if (isLower) line(context, [at, height], [at, height - TICK * scale], INK, 0.8 * scale)
      else line(context, [0, at], [TICK * scale, at], INK, 0.8 * scale)
      const text = formatNumber(value)
      const half = context.measureText(text).width / 2
      // one that would be cut, or stand under the name, is left out
      if (isLower && at - half > from && at + half < width - 44 * scale) halo(context, text, at - half, height - (TICK + 3) * scale, scale)
      if (!isLower && at > 44 * scale && at < to - 4 * scale) halo(context, text, (TICK + 3) * scale, at + 2.7 * scale, scale)
    }
    context.font = font(TYPE * scale)
    const title = unit ? `${name} / ${unit}` : name
    if (isLower) halo(context, title, width - context.measureText(title).width - 6 * scale, height - (TICK + 3) * scale, scale)
    else halo(context, title, (TICK + 3) * scale, 36 * scale, scale)
  }
  context.restore()
}

/** Ticks along one edge of each direction that is on the outline of the box, numbers outside it. */
function drawAxes(
  context: CanvasRenderingContext2D,
  { box, unit, factor }: NonNullable<Annotations['axes']>,
  project: Project,
  scale: number,
): void {
  const corner = (i: number): [number, number, number] => [box[i & 1 ? 3 : 0], box[i & 2 ? 4 : 1], box[i & 4 ? 5 : 2]]
  const all = Array.from({ length: 8 }, (_, i) => project(corner(i)))
  const middle = [0, 1].map((d) => all.reduce((sum, p) => sum + p[d]!, 0) / 8) as [number, number]
  const hull = convexHull(all)
  const isOutside = (p: readonly [number, number]): boolean => hull.some(([x, y]) => Math.hypot(p[0] - x, p[1] - y) < 0.5)
  ;(['x', 'y', 'z'] as const).forEach((name, d) => {
    // of the edges on the outline the lowest, and of an upright direction the leftmost
    const edges = Array.from({ length: 8 }, (_, i) => i)
      .filter((i) => !(i & (1 << d)))
      .map((i) => [i, i | (1 << d)] as const)
      .filter(([a, b]) => isOutside(all[a]!) && isOutside(all[b]!) && isSide(hull, all[a]!, all[b]!))
    const length = ([a, b]: readonly [number, number]): number => Math.hypot(all[b]![0] - all[a]![0], all[b]![1] - all[a]![1])
    const place = ([a, b]: readonly [number, number]): number => (name === 'z' ? all[a]![0] + all[b]![0] : -all[a]![1] - all[b]![1])
    const [best] = edges.sort((p, q) => place(p) - place(q))
    if (!best || length(best) < 30 * scale) return
    drawEdge(context, { name, unit, factor, from: corner(best[0]), to: corner(best[1]), d, middle }, project, scale)
  })
}

/** Whether two corners follow each other along the outline. */
function isSide(hull: readonly (readonly [number, number])[], a: readonly [number, number], b: readonly [number, number]): boolean {
  const indexOf = (p: readonly [number, number]): number => hull.findIndex(([x, y]) => Math.hypot(p[0] - x, p[1] - y) < 0.5)
  const gap = Math.abs(indexOf(a) - indexOf(b))
  return gap === 1 || gap === hull.length - 1
}

interface AxisEdge {
  name: string
  unit: string
  factor: number
  from: readonly [number, number, number]
  to: readonly [number, number, number]
  d: number
  middle: readonly [number, number]
}

function drawEdge(
  context: CanvasRenderingContext2D,
  { name, unit, factor, from, to, d, middle }: AxisEdge,
  project: Project,
  scale: number,
): void {
  const [p, q] = [project(from), project(to)]
  const size = Math.hypot(q[0] - p[0], q[1] - p[1])
  // across the edge, away from the middle of the box
  let [nx, ny] = [-(q[1] - p[1]) / size, (q[0] - p[0]) / size]
  const centre = [(p[0] + q[0]) / 2, (p[1] + q[1]) / 2] as const
  if (nx * (centre[0] - middle[0]) + ny * (centre[1] - middle[1]) < 0) [nx, ny] = [-nx, -ny]
  line(context, p, q, INK, 0.8 * scale)
  context.font = `400 ${7.5 * scale}px ${MONO}`
  context.fillStyle = INK
  let widest = 0
  for (const value of ticks(from[d]! * factor, to[d]! * factor, Math.max(2, Math.min(6, size / (45 * scale))))) {
    const at = project(from.map((c, i) => (i === d ? value / factor : c)))
    const end = [at[0] + TICK * scale * nx, at[1] + TICK * scale * ny] as const
    line(context, at, end, INK, 0.8 * scale)
    const text = formatNumber(value)
    const width = context.measureText(text).width
    widest = Math.max(widest, width)
    halo(context, text, end[0] + 3 * scale * nx - (width * (1 - nx)) / 2, end[1] + 3 * scale * ny + (0.36 + 0.4 * ny) * 7.5 * scale, scale)
  }
  context.font = font(TYPE * scale)
  const title = unit ? `${name} / ${unit}` : name
  const width = context.measureText(title).width
  const away = (TICK + 9) * scale + Math.abs(nx) * widest + Math.abs(ny) * 9 * scale
  halo(context, title, centre[0] + away * nx - (width * (1 - nx)) / 2, centre[1] + away * ny + 0.36 * TYPE * scale, scale)
}

/** Dark with a light rim, so that it is read on any ground. */
function halo(context: CanvasRenderingContext2D, text: string, x: number, y: number, scale: number): void {
  context.strokeStyle = HALO
  context.lineWidth = 2.4 * scale
  context.strokeText(text, x, y)
  context.fillText(text, x, y)
}
