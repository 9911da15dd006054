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

const bench = {
  stage,
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
