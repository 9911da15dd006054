/** A page with nothing but a stage, for tests: what it can do hangs on `window`. */
import { Stage } from '../../../stage/Stage'
import { takePicture } from '../../../stage/picture'
import type { PictureOptions } from '../../../stage/picture'
import type { StageLook, StageObject } from '../../../stage/StageObject'

export interface PlaneSpec {
  z: number
  colour: [number, number, number]
  opacity: number
  /** Values at the four corners, coloured by `table`. */
  values?: number[]
  look?: Partial<StageLook>
}

const holder = document.createElement('div')
holder.style.cssText = 'position:fixed;left:0;top:0;width:400px;height:300px'
document.body.append(holder)
const stage = new Stage(holder)

/** Square of side 2 about the z axis. */
function plane({ z, colour, opacity, values, look }: PlaneSpec, i: number): StageObject {
  return {
    id: `plane ${i}`,
    order: i,
    geometry: {
      key: `plane ${z} ${i}`,
      kind: 'surface',
      origin: [0, 0, 0],
      points: Float32Array.of(-1, -1, z, 1, -1, z, 1, 1, z, -1, 1, z),
      elements: Uint32Array.of(0, 1, 2, 0, 2, 3),
    },
    values: values ? { key: String(values), values: Float32Array.from(values), reference: 0, place: 'point' } : null,
    look: {
      table: null,
      min: 0,
      max: 1,
      bands: 0,
      plain: colour,
      opacity,
      isLit: false,
      isSmooth: false,
      edges: 'none',
      width: 1,
      ...look,
    },
  }
}

async function pixels(options: Omit<PictureOptions, 'legends'>): Promise<{ width: number; height: number; data: number[] }> {
  const bitmap = await createImageBitmap(await takePicture(stage, { legends: [], ...options }), { premultiplyAlpha: 'none' })
  const canvas = new OffscreenCanvas(bitmap.width, bitmap.height)
  const context = canvas.getContext('2d', { willReadFrequently: true })!
  context.drawImage(bitmap, 0, 0)
  return { width: bitmap.width, height: bitmap.height, data: [...context.getImageData(0, 0, bitmap.width, bitmap.height).data] }
}

/** A wavy square of about so many triangles. */
function wavy(triangles: number): StageObject {
  const n = Math.ceil(Math.sqrt(triangles / 2))
  const points = new Float32Array(3 * (n + 1) ** 2)
  const values = new Float32Array((n + 1) ** 2)
  const elements = new Uint32Array(6 * n * n)
  for (let j = 0, p = 0; j <= n; j++)
    for (let i = 0; i <= n; i++, p++) {
      values[p] = Math.sin((9 * i) / n) * Math.cos((7 * j) / n)
      points.set([(2 * i) / n - 1, (2 * j) / n - 1, 0.1 * values[p]!], 3 * p)
    }
  for (let j = 0, e = 0; j < n; j++)
    for (let i = 0; i < n; i++, e += 6) {
      const p = j * (n + 1) + i
      elements.set([p, p + 1, p + n + 2, p, p + n + 2, p + n + 1], e)
    }
  const flat = plane({ z: 0, colour: [0.5, 0.5, 0.5], opacity: 1 }, 0)
  return {
    ...flat,
    geometry: { ...flat.geometry, key: 'wavy', points, elements },
    values: { key: 'wavy', values, reference: 0, place: 'point' },
    look: { ...flat.look, table: new Uint8Array(1024).fill(200), min: -1, max: 1, isLit: true, isSmooth: true },
  }
}

const bench = {
  stage,
  /** Milliseconds of script: the median of changes of a look, and the longest of turns of the view, each with its frame. */
  async timeLooks(triangles: number): Promise<Record<string, number>> {
    const object = wavy(triangles)
    // the drawing itself is left out: software that stands in for a graphics card would take all of the time
    const gl = stage.canvas.element.getContext('webgl2')!
    Object.assign(gl, { drawElements: () => undefined, drawElementsInstanced: () => undefined })
    const frames: number[] = []
    const request = window.requestAnimationFrame.bind(window)
    window.requestAnimationFrame = (draw) =>
      request((time) => {
        const start = performance.now()
        draw(time)
        frames.push(performance.now() - start)
      })
    const frame = () => new Promise<void>((resolve) => void request(() => request(() => resolve())))
    const timed = async (change: (i: number) => void): Promise<number[]> => {
      const times: number[] = []
      for (let i = 0; i < 12; i++) {
        frames.length = 0
        const start = performance.now()
        change(i)
        const own = performance.now() - start
        await frame()
        if (i > 1) times.push(own + frames.reduce((sum, ms) => sum + ms, 0))
      }
      return times.sort((a, b) => a - b)
    }
    const look = (own: (i: number) => Partial<StageLook>) =>
      timed((i) => stage.setObjects([{ ...object, look: { ...object.look, ...own(i) } }]))
    const first = performance.now()
    stage.setObjects([object])
    stage.eye.home()
    const built = performance.now() - first
    await frame()
    const middle = (times: number[]) => times[times.length >> 1]!
    return {
      [`${object.geometry.elements.length / 3} triangles, first shown`]: built,
      colours: middle(await look((i) => ({ table: new Uint8Array(1024).fill(100 + i) }))),
      range: middle(await look((i) => ({ max: 1 + i / 10 }))),
      bands: middle(await look((i) => ({ bands: 4 + i }))),
      opacity: middle(await look((i) => ({ opacity: 0.9 - i / 40 }))),
      levels: middle(await look((i) => ({ levels: [-1, 0.01 * i, 1] }))),
      'turn of the view, longest': (await timed(() => stage.eye.nudge({ turn: [5, 0] }))).at(-1)!,
    }
  },
  pixels,
  show(planes: PlaneSpec[]) {
    stage.setObjects(planes.map(plane))
    stage.eye.view('top')
  },
  /** A wavy line besides, to have something that tiles could break. */
  showScene(n: number) {
    const points = new Float32Array(3 * n)
    const elements = new Uint32Array(2 * (n - 1))
    for (let i = 0; i < n; i++) points.set([(2 * i) / (n - 1) - 1, Math.sin(i / 7), 0.1], 3 * i)
    for (let i = 0; i < n - 1; i++) elements.set([i, i + 1], 2 * i)
    stage.setObjects([
      plane({ z: 0, colour: [0.9, 0.2, 0.1], opacity: 0.5 }, 0),
      plane({ z: 0.4, colour: [0.1, 0.4, 0.9], opacity: 0.6, look: { edges: 'outline' } }, 1),
      {
        id: 'line',
        order: 2,
        geometry: { key: 'line', kind: 'lines', origin: [0, 0, 0], points, elements },
        values: null,
        look: {
          table: null,
          min: 0,
          max: 1,
          bands: 0,
          plain: [0, 0, 0],
          opacity: 1,
          isLit: false,
          isSmooth: false,
          edges: 'none',
          width: 3,
        },
      },
    ])
    stage.eye.home()
  },
}
export type StageBench = typeof bench
;(window as unknown as { bench: StageBench }).bench = bench
