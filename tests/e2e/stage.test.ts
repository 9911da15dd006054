import { createServer } from 'node:http'
import type { Server } from 'node:http'
import { build } from 'esbuild'
import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { colourAt, colourTable } from '../../core/colour/maps'
import { colourPlace, fittingScale } from '../../core/colour/scale'
import type { ColourScale } from '../../core/colour/scale'
import type { StageLook } from '../../stage/StageObject'
import { launch } from '../support/browser'
import type { PlaneSpec, StageBench } from '../support/pages/stage'

declare const bench: StageBench

let browser: Browser
let page: Page
let server: Server

beforeAll(async () => {
  const { outputFiles } = await build({ entryPoints: ['tests/support/pages/stage.ts'], bundle: true, write: false, format: 'esm' })
  const script = outputFiles[0]!.text
  server = createServer((request, response) => {
    response.setHeader('content-type', request.url === '/stage.js' ? 'text/javascript' : 'text/html')
    response.end(request.url === '/stage.js' ? script : '<body><script type="module" src="/stage.js"></script>')
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  browser = await launch()
  page = await browser.newPage()
  await page.goto(`http://127.0.0.1:${(server.address() as { port: number }).port}/`)
  await page.waitForFunction(() => 'bench' in window)
})
afterAll(async () => {
  await browser?.close()
  server?.close()
})

const colours: [number, number, number][] = [
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
  [1, 1, 0],
  [0, 1, 1],
]
const planes: PlaneSpec[] = colours.map((colour, i) => ({ z: i * 0.2, colour, opacity: 0.3 + 0.1 * i }))

async function middleOf(specs: PlaneSpec[], ground: 'white' | 'transparent' = 'white'): Promise<number[]> {
  return page.evaluate(
    async ([list, on]) => {
      bench.show(list)
      const { width, height, data } = await bench.pixels({ width: 200, height: 150, dpi: 96, ground: on })
      // a little off the diagonal that the two triangles share
      const at = 4 * (Math.floor(height / 2) * width + Math.floor(width / 2) + 9)
      return data.slice(at, at + 4)
    },
    [specs, ground] as const,
  )
}

/** Painted from the lowest to the highest, as light would. */
function painted(specs: PlaneSpec[]): number[] {
  const up = [...specs].sort((a, b) => a.z - b.z)
  return up
    .reduce((below, { colour, opacity }) => below.map((c, d) => c * (1 - opacity) + colour[d]! * opacity), [1, 1, 1])
    .map((c) => Math.round(255 * c))
}

function expectNear(found: number[], wanted: number[], tolerance = 2): void {
  wanted.forEach((c, d) => expect(Math.abs(found[d]! - c), `${found} for ${wanted}`).toBeLessThanOrEqual(tolerance))
}

describe('translucency', () => {
  it('five overlapping planes have the colour worked out by hand, in whatever order they come', async () => {
    expectNear(await middleOf(planes), painted(planes))
    const shuffled = [3, 0, 4, 2, 1].map((i) => planes[i]!)
    expectNear(await middleOf(shuffled), painted(planes))
  })

  it('an opaque plane hides what is below it and tints nothing', async () => {
    const specs = planes.map((p, i) => (i === 3 ? { ...p, opacity: 1 } : p))
    expectNear(await middleOf(specs), painted(specs))
  })

  it('on a transparent ground the opacity is that of all layers together', async () => {
    const [, , , alpha] = await middleOf(planes, 'transparent')
    const open = planes.reduce((through, { opacity }) => through * (1 - opacity), 1)
    expect(Math.abs(alpha! - 255 * (1 - open))).toBeLessThanOrEqual(2)
  })
})

describe('colour', () => {
  const table = [...colourTable('viridis')]
  const coloured = (value: number, look: Partial<StageLook>, ground: 'white' | 'transparent' = 'white'): Promise<number[]> =>
    page.evaluate(
      async ([t, v, own, on]) => {
        bench.show([{ z: 0, colour: [0, 0, 0], opacity: 1, values: [v, v, v, v], look: { table: Uint8Array.from(t), ...own } }])
        const { data, width } = await bench.pixels({ width: 100, height: 80, dpi: 96, ground: on })
        return data.slice(4 * (40 * width + 57), 4 * (40 * width + 57) + 4)
      },
      [table, value, look, ground] as const,
    )
  const scales: Record<string, ColourScale> = {
    smooth: { min: 0, max: 10, bands: 0 },
    'in 8 bands': { min: 0, max: 10, bands: 8 },
    'in 2 bands': { min: 0, max: 10, bands: 2 },
    logarithmic: { min: 0.01, max: 100, bands: 0, isLog: true },
    'logarithmic in 4 bands': { min: 0.01, max: 100, bands: 4, isLog: true },
    'between levels': { min: 0, max: 1, bands: 0, levels: [0, 1, 5, 20] },
  }

  it.each(Object.entries(scales))('%s is that of its value, held at the ends', async (_, own) => {
    const scale = fittingScale(own)
    for (const value of [0, 0.3, 0.99, 1.01, 3.3, 4.99, 5.01, 9.9, 12, 200]) {
      const found = await coloured(value, scale)
      expectNear(found.slice(0, 3), colourAt('viridis', colourPlace(value, scale)))
    }
  })

  it('beyond the range is its own or not drawn, and so is what is no number', async () => {
    const range = { min: 0, max: 10, bands: 0 }
    const own = { ...range, low: [1, 0, 0] as const, high: [0, 0, 1] as const, blank: [0, 1, 0] as const }
    expectNear(await coloured(-1, own), [255, 0, 0, 255])
    expectNear(await coloured(11, own), [0, 0, 255, 255])
    expectNear(await coloured(NaN, own), [0, 255, 0, 255])
    expectNear((await coloured(10, own)).slice(0, 3), colourAt('viridis', 1))
    const hidden = { ...range, low: null, high: null, blank: null }
    for (const value of [-1, 11, NaN]) expect((await coloured(value, hidden, 'transparent'))[3]).toBe(0)
    expect((await coloured(5, hidden, 'transparent'))[3]).toBe(255)
  })

  it.each([
    ['low', 2.5, 0.25],
    ['low', 7.5, 0.75],
    ['high', 2.5, 0.75],
    ['middle', 5.5, 0.1],
    ['middle', 1, 0.8],
  ] as const)('fading %s at %d lets so much through', async (fade, value, opacity) => {
    const [r, g, b, alpha] = await coloured(value, { min: 0, max: 10, bands: 0, fade }, 'transparent')
    expect(Math.abs(alpha! - 255 * opacity)).toBeLessThanOrEqual(2)
    expectNear([r!, g!, b!], colourAt('viridis', value / 10), 6)
  })

  it('a value that is no number is grey', async () => {
    const [r, g, b] = await coloured(NaN, { min: 0, max: 10, bands: 0 })
    expect(Math.max(r!, g!, b!) - Math.min(r!, g!, b!)).toBeLessThan(6)
  })
})

it('a tiled picture equals an untiled one', async () => {
  const differing = await page.evaluate(async () => {
    bench.showScene(200)
    bench.stage.setOcclusion(true)
    bench.stage.eye.setAngle(40)
    const options = { width: 300, height: 220, dpi: 96, ground: 'white' as const }
    const whole = await bench.pixels(options)
    const tiled = await bench.pixels({ ...options, tile: 64 })
    bench.stage.setOcclusion(false)
    bench.stage.eye.setAngle(undefined)
    let different = 0
    for (let i = 0; i < whole.data.length; i++) if (Math.abs(whole.data[i]! - tiled.data[i]!) > 3) different++
    return { share: different / whole.data.length, distinct: new Set(whole.data).size }
  })
  expect(differing.distinct).toBeGreaterThan(10)
  // the edge of a slanted line may fall to the other side of a sample where numbers are rounded anew; nothing else differs
  expect(differing.share).toBeLessThan(0.001)
})

it('a click finds the thing, the place and the value under it', async () => {
  const picked = await page.evaluate(() => {
    bench.show([{ z: 0.5, colour: [0, 0, 0], opacity: 1, values: [0, 10, 10, 0], look: { table: new Uint8Array(1024), min: 0, max: 10 } }])
    const [x, y] = bench.stage.eye.project([0.2, -0.1, 0.5])
    return bench.stage.pick(x, y)
  })
  expect(picked!.id).toBe('plane 0')
  expect(picked!.position[0]).toBeCloseTo(0.2, 1)
  expect(picked!.position[2]).toBeCloseTo(0.5, 3)
  expect(picked!.value).toBeCloseTo(6, 0)
  expect(await page.evaluate(() => bench.stage.pick(2, 2))).toBeNull()
})

describe('in perspective', () => {
  it('things are as large as they must be, all of them are in view, and a click finds the place', async () => {
    const found = await page.evaluate(() => {
      const at = (z: number) => ({ z, colour: [1, 0, 0] as [number, number, number], opacity: 1 })
      bench.show([at(0), at(2)])
      const { eye } = bench.stage
      eye.setAngle(60)
      const width = (z: number) => eye.project([1, 0, z])[0] - eye.project([-1, 0, z])[0]
      // both planes are as far from the middle, which is seen at the scale of the stage
      const [far, near, middle] = [width(0), width(2), 2 * eye.scale()]
      const corners = [0, 2].flatMap((z) => [-1, 1].flatMap((x) => [-1, 1].map((y) => eye.project([x, y, z]))))
      const size = eye.size
      const picked = bench.stage.pick(...eye.project([0.3, -0.2, 2]))
      const kept = eye.cameraState()
      const picture = eye.projectInto([3 * size[0], 2 * size[1]], [1, 0, 2])
      eye.setAngle(undefined)
      const parallel = width(0) / width(2)
      eye.setCamera(kept)
      return { far, near, middle, corners, size, picked, parallel, again: width(2), stage: eye.project([1, 0, 2]), picture }
    })
    // distance d to the middle: sizes go as 1 / (d + 1), 1 / d and 1 / (d - 1)
    expect(2 / found.middle).toBeCloseTo(1 / found.far + 1 / found.near, 6)
    expect(found.near / found.far).toBeGreaterThan(1.3)
    for (const [x, y] of found.corners) {
      expect(Math.abs(x - found.size[0]! / 2)).toBeLessThanOrEqual(found.size[0]! / 2)
      expect(Math.abs(y - found.size[1]! / 2)).toBeLessThanOrEqual(found.size[1]! / 2)
    }
    expect(found.picked!.position[0]).toBeCloseTo(0.3, 1)
    expect(found.picked!.position[2]).toBeCloseTo(2, 3)
    expect(found.parallel).toBeCloseTo(1, 9)
    expect(found.again).toBeCloseTo(found.near, 6)
    // a wider picture shows more beside, at the same perspective: twice as high, twice as large
    expect(found.picture[0] - 1.5 * found.size[0]!).toBeCloseTo(2 * (found.stage[0] - found.size[0]! / 2), 4)
    await page.evaluate(() => bench.stage.eye.setAngle(undefined))
  })
})

it('what is near darkens what it hides from the light around, and a plane by itself keeps its colour', async () => {
  const [alone, beside, away] = await page.evaluate(async () => {
    const grey = { colour: [0.6, 0.6, 0.6] as [number, number, number], opacity: 1 }
    const at = async (z: readonly number[], point: readonly [number, number, number]) => {
      bench.show(z.map((own) => ({ z: own, ...grey })))
      bench.stage.eye.lookFrom({ azimuth: 0, elevation: 35 })
      bench.stage.setOcclusion(true)
      const { width, data } = await bench.pixels({ width: 400, height: 300, dpi: 96, ground: 'white' })
      const [x, y] = bench.stage.eye.project(point)
      bench.stage.setOcclusion(false)
      return data[4 * (Math.round(y) * width + Math.round(x))]!
    }
    // just before the lower edge of a plane that floats above it, and where nothing is near
    return [await at([0], [0, 0, 0]), await at([0, 0.06], [0, -0.98, 0]), await at([0, 0.06], [0, 0, 0.06])]
  })
  expect(alone).toBe(153)
  expect(away).toBe(153)
  expect(beside).toBeLessThan(0.95 * 153)
})
