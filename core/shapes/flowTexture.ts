/**
 * A texture that shows the direction of a vector everywhere on a surface.
 *
 * Method: line integral convolution (Cabral and Leedom, SIGGRAPH 1993) of a noise that fills space. The surface is laid out in charts:
 * triangles that hang together and look along the same axis, seen along it. The result does not depend on the camera, and charts meet in
 * the same noise. O(texels · length of the lines). Memory: about 16 bytes a texel.
 */
import { Unions } from '../mesh/Unions'
import { triangleNormal } from './normals'
import { placeKey } from './placeKey'
import type { Piece } from './Shape'

export interface FlowTexture {
  width: number
  height: number
  /** Uint8Array (width × height) brightness, 128 where there is no direction. */
  texels: Uint8Array
  /** Float32Array (2 × corners of all elements) place in the texture, from 0 to 1. */
  places: Float32Array
}

/** Texels that are aimed at, and the most that charts may fill. */
const TEXELS = 700_000
const MOST_TEXELS = 6_000_000
const WIDTH = 2048
/** Texels around each chart. */
const RIM = 2
/** Texels along a line to either side. */
const REACH = 26
/** Texels of one value of the noise: streaks are as wide. */
const GRAIN = 2.2
/** How far the mean of the noise along a line strays from the middle is stretched to this. */
const CONTRAST = 2.4

interface Triangle {
  piece: number
  element: number
  /** First of its corners among those of all pieces. */
  corner: number
}

interface Chart {
  axis: number
  triangles: Triangle[]
  low: [number, number]
  size: [number, number]
  at: [number, number]
}

/** @param vectors  (3 × corners of the elements) of each piece. @param check  called per chart; throws to cancel */
export function flowTexture(pieces: readonly Piece[], vectors: readonly Float64Array[], check: () => void): FlowTexture {
  const { charts, area, nCorners } = chartsOf(pieces)
  let texel = Math.sqrt(area / TEXELS) || 1
  let height = layOut(pieces, charts, texel)
  while (height * WIDTH > MOST_TEXELS) height = layOut(pieces, charts, (texel *= 1.3))
  const places = new Float32Array(2 * nCorners)
  const texels = new Uint8Array(WIDTH * Math.max(height, 1)).fill(128)
  for (const chart of charts) {
    check()
    paint(pieces, vectors, chart, texel, texels)
    for (const { piece, element, corner } of chart.triangles) {
      for (let i = 0; i < 3; i++) {
        const [x, y] = placeIn(pieces[piece]!, pieces[piece]!.elements[3 * element + i]!, chart, texel)
        places[2 * (corner + i)] = (chart.at[0] + x) / WIDTH
        places[2 * (corner + i) + 1] = (chart.at[1] + y) / Math.max(height, 1)
      }
    }
  }
  return { width: WIDTH, height: Math.max(height, 1), texels, places }
}

/** Triangles that share corners and look along the same axis. */
function chartsOf(pieces: readonly Piece[]): { charts: Chart[]; area: number; nCorners: number } {
  const unions = new Unions()
  const known = new Map<string, number>()
  const all: (Triangle & { axis: number; set: number })[] = []
  let area = 0
  let corner = 0
  pieces.forEach(({ points, elements, cells }, piece) => {
    for (let element = 0; element < cells.length; element++, corner += 3) {
      const normal = triangleNormal(points, elements, element)
      area += Math.hypot(...normal) / 2
      const sizes = normal.map(Math.abs)
      const along = sizes.indexOf(Math.max(...sizes))
      const axis = 2 * along + Number(normal[along]! < 0)
      let set = -1
      for (let i = 0; i < 3; i++) {
        const key = `${axis} ${placeKey(points, elements[3 * element + i]!)}`
        let own = known.get(key)
        if (own === undefined) known.set(key, (own = unions.add()))
        set = set < 0 ? own : unions.join(set, own)
      }
      all.push({ piece, element, corner, axis, set })
    }
  })
  const charts = new Map<number, Chart>()
  for (const { set, axis, ...triangle } of all) {
    const root = unions.find(set)
    const chart = charts.get(root) ?? { axis: axis >> 1, triangles: [], low: [0, 0], size: [0, 0], at: [0, 0] }
    chart.triangles.push(triangle)
    charts.set(root, chart)
  }
  return { charts: [...charts.values()], area, nCorners: corner }
}

function across({ axis }: Chart): [number, number] {
  return axis === 0 ? [1, 2] : axis === 1 ? [0, 2] : [0, 1]
}

/** Puts charts side by side in rows. @returns the height of all */
function layOut(pieces: readonly Piece[], charts: readonly Chart[], texel: number): number {
  for (const chart of charts) {
    const [u, v] = across(chart)
    const box = [Infinity, Infinity, -Infinity, -Infinity]
    for (const { piece, element } of chart.triangles) {
      const { points, elements } = pieces[piece]!
      for (let i = 0; i < 3; i++) {
        const p = 3 * elements[3 * element + i]!
        box[0] = Math.min(box[0]!, points[p + u]!)
        box[1] = Math.min(box[1]!, points[p + v]!)
        box[2] = Math.max(box[2]!, points[p + u]!)
        box[3] = Math.max(box[3]!, points[p + v]!)
      }
    }
    chart.low = [box[0]!, box[1]!]
    chart.size = [box[2]! - box[0]!, box[3]! - box[1]!].map((x) => Math.min(WIDTH - 1, Math.ceil(x / texel) + 2 * RIM + 1)) as [
      number,
      number,
    ]
  }
  let [x, y, row] = [0, 0, 0]
  for (const chart of [...charts].sort((a, b) => b.size[1] - a.size[1])) {
    if (x + chart.size[0] > WIDTH) [x, y, row] = [0, y + row, 0]
    chart.at = [x, y]
    x += chart.size[0]
    row = Math.max(row, chart.size[1])
  }
  return y + row
}

/** In texels of its chart. */
function placeIn({ points }: Piece, p: number, chart: Chart, texel: number): [number, number] {
  const [u, v] = across(chart)
  return [(points[3 * p + u]! - chart.low[0]) / texel + RIM + 0.5, (points[3 * p + v]! - chart.low[1]) / texel + RIM + 0.5]
}

function paint(pieces: readonly Piece[], vectors: readonly Float64Array[], chart: Chart, texel: number, texels: Uint8Array): void {
  const [width, height] = chart.size
  const n = width * height
  const isOn = new Uint8Array(n)
  /** Direction in the chart, and noise, at each texel. */
  const [dx, dy, noise] = [new Float32Array(n), new Float32Array(n), new Float32Array(n)]
  const [u, v] = across(chart)
  for (const { piece, element } of chart.triangles) {
    const { points, elements } = pieces[piece]!
    const own = [0, 1, 2].map((i) => elements[3 * element + i]!)
    const corners = own.map((p) => placeIn(pieces[piece]!, p, chart, texel))
    eachTexel(corners, width, height, (at, weights) => {
      const place = (d: number): number => own.reduce((sum, p, i) => sum + weights[i]! * points[3 * p + d]!, 0) / (GRAIN * texel)
      const vector = (d: number): number => weights.reduce((sum, w, i) => sum + w * vectors[piece]![9 * element + 3 * i + d]!, 0)
      isOn[at] = 1
      dx[at] = vector(u)
      dy[at] = vector(v)
      noise[at] = noiseAt(place(0), place(1), place(2))
    })
  }
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const at = y * width + x
      if (!isOn[at]) continue
      const mean = (alongLine(x, y, 1) + alongLine(x, y, -1) + noise[at]!) / (2 * REACH + 1)
      const isStill = !(Math.hypot(dx[at]!, dy[at]!) > 0)
      const bright = isStill ? 0.5 : 0.5 + CONTRAST * (mean - 0.5)
      texels[(chart.at[1] + y) * WIDTH + chart.at[0] + x] = Math.round(255 * Math.min(1, Math.max(0, bright)))
    }
  }

  /** Sum of the noise along a line; where it leaves the chart it goes back. */
  function alongLine(x0: number, y0: number, sign: number): number {
    let x = x0 + 0.5
    let y = y0 + 0.5
    let sum = 0
    let way = sign
    for (let i = 0; i < REACH; i++) {
      const at = Math.floor(y) * width + Math.floor(x)
      const size = Math.sqrt(dx[at]! * dx[at]! + dy[at]! * dy[at]!)
      if (!(size > 0)) return sum + (REACH - i) * noise[at]!
      const nx = x + (way * dx[at]!) / size
      const ny = y + (way * dy[at]!) / size
      const next = Math.floor(ny) * width + Math.floor(nx)
      if (nx < 0 || ny < 0 || nx >= width || ny >= height || !isOn[next]) {
        way = -way
        sum += noise[at]!
        continue
      }
      x = nx
      y = ny
      sum += noise[next]!
    }
    return sum
  }
}

/** Texels whose middle is in a triangle or close to it, with the weights of its corners. */
function eachTexel(
  corners: readonly [number, number][],
  width: number,
  height: number,
  work: (at: number, weights: readonly number[]) => void,
): void {
  const [[x0, y0], [x1, y1], [x2, y2]] = corners as [[number, number], [number, number], [number, number]]
  const area = (x1 - x0) * (y2 - y0) - (x2 - x0) * (y1 - y0)
  if (area === 0) return
  const [left, right] = [Math.max(0, Math.floor(Math.min(x0, x1, x2)) - 1), Math.min(width - 1, Math.ceil(Math.max(x0, x1, x2)))]
  const [top, bottom] = [Math.max(0, Math.floor(Math.min(y0, y1, y2)) - 1), Math.min(height - 1, Math.ceil(Math.max(y0, y1, y2)))]
  // one texel beyond each side, so that nothing shows between charts
  const reach = -(Math.max(right - left, bottom - top) + 1) / Math.abs(area)
  for (let y = top; y <= bottom; y++) {
    for (let x = left; x <= right; x++) {
      const [px, py] = [x + 0.5, y + 0.5]
      const a = ((x1 - px) * (y2 - py) - (x2 - px) * (y1 - py)) / area
      const b = ((x2 - px) * (y0 - py) - (x0 - px) * (y2 - py)) / area
      if (a >= reach && b >= reach && 1 - a - b >= reach) work(y * width + x, [a, b, 1 - a - b])
    }
  }
}

/** Noise that is the same for a place of space whatever chart it is in. */
function noiseAt(x: number, y: number, z: number): number {
  let h = Math.imul(Math.floor(x), 0x9e3779b1) ^ Math.imul(Math.floor(y), 0x85ebca6b) ^ Math.imul(Math.floor(z), 0xc2b2ae35)
  h = Math.imul(h ^ (h >>> 15), 0x2c1b3c6d)
  h = Math.imul(h ^ (h >>> 12), 0x297a2d39)
  return ((h ^ (h >>> 15)) >>> 0) / 2 ** 32
}
