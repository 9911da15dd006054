/** What is written over the scene, as it is put down on a canvas: ticks at their places, leaders, captions. */
import { describe, expect, it } from 'vitest'
import { drawAnnotations, drawRulers, drawScaleBar, noteRects } from '../../../stage/annotations'
import type { Annotations, Project } from '../../../stage/annotations'
import { supportPoints } from '../../../stage/supportPoints'
import { convexHull, covered, overlap } from '../../../stage/legendPlaces'

function recorder() {
  const texts: { text: string; x: number; y: number }[] = []
  const lines: [number, number, number, number][] = []
  const fills: [number, number, number, number][] = []
  let [x0, y0] = [0, 0]
  const context = {
    ...{ font: '', fillStyle: '', strokeStyle: '', lineWidth: 0, textBaseline: '', lineJoin: '' },
    ...{ save: () => undefined, restore: () => undefined, stroke: () => undefined, fill: () => undefined, arc: () => undefined },
    ...{ beginPath: () => undefined, strokeText: () => undefined, strokeRect: () => undefined },
    measureText: (text: string) => ({ width: 5 * text.length }),
    fillText: (text: string, x: number, y: number) => void texts.push({ text, x, y }),
    fillRect: (x: number, y: number, w: number, h: number) => void fills.push([x, y, w, h]),
    moveTo: (x: number, y: number) => ([x0, y0] = [x, y]),
    lineTo: (x: number, y: number) => void lines.push([x0, y0, x, y]),
  }
  return { context: context as unknown as CanvasRenderingContext2D, texts, lines, fills }
}

/** A view from the front and above: x to the right, z up, y a little up. */
const project: Project = ([x, y, z]) => [200 + 40 * x! + 12 * y!, 200 - 40 * z! - 16 * y!]
const nothing: Annotations = { notes: [], captions: [] }

describe('axes', () => {
  const box = [-2, -2, 0, 2, 2, 3] as const
  const drawn = (unit: string, factor: number) => {
    const canvas = recorder()
    drawAnnotations(canvas.context, { ...nothing, axes: { box: [...box], unit, factor } }, project, 1)
    return canvas
  }

  it('have round ticks at their places, outside the box, and say unit and direction', () => {
    const { texts, lines } = drawn('m', 1)
    expect(texts.map(({ text }) => text)).toEqual(expect.arrayContaining(['x / m', 'y / m', 'z / m', '−2', '0', '2']))
    // the axis of x is the lower edge in front
    expect(lines).toContainEqual([...project([-2, -2, 0]), ...project([2, -2, 0])])
    const hull = convexHull([0, 1, 2, 3, 4, 5, 6, 7].map((i) => project([box[i & 1 ? 3 : 0], box[i & 2 ? 4 : 1], box[i & 4 ? 5 : 2]])))
    for (const { text, x, y } of texts) expect(covered(hull, { x: x + 1, y: y - 2, width: 1, height: 1 }), text).toBe(0)
  })

  it('are in the unit that is shown', () => {
    const { texts } = drawn('mm', 1000)
    expect(texts.map(({ text }) => text)).toEqual(expect.arrayContaining(['x / mm', '−2000', '2000']))
  })
})

describe('rulers', () => {
  const size = [400, 300] as const
  const drawn = (rulers: { right: [number, number, number]; up: [number, number, number] }, project: Project) => {
    const canvas = recorder()
    drawRulers(canvas.context, { unit: 'mm', factor: 1000, corner: 0, ...rulers }, project, size, 1)
    return canvas
  }

  it('have coordinates where an axis goes along an edge, even where it falls', () => {
    // from the back: x to the left, z up; 50 pixels to the metre
    const back: Project = ([x, , z]) => [200 - 50 * x!, 150 - 50 * z!]
    const { texts, lines } = drawn({ right: [-1, 0, 0], up: [0, 0, 1] }, back)
    expect(texts.map(({ text }) => text)).toEqual(expect.arrayContaining(['x / mm', 'z / mm', '2000', '−2000']))
    expect(lines).toContainEqual([100, 300, 100, 296])
    expect(texts.find(({ text, y }) => text === '2000' && y > 280)!.x).toBeCloseTo(100 - 10, 9)
    expect(lines).toContainEqual([0, 50, 4, 50])
  })

  it('have lengths along the edges from a slant', () => {
    const c = Math.SQRT1_2
    const slant: Project = ([x, y, z]) => [200 + 50 * c * (x! + y!), 150 - 50 * z!]
    const { texts, lines } = drawn({ right: [c, c, 0], up: [0, 0, 1] }, slant)
    expect(texts.map(({ text }) => text)).toContain('across / mm')
    // two metres are 100 pixels across whatever they are made of
    expect(lines.some(([x, y]) => y === 300 && Math.abs(x - 300) < 1e-9)).toBe(true)
  })
})

describe('notes and captions', () => {
  const note = { id: 'a', text: 'max 3 K', at: [1, 0, 1] as const, offset: [30, -20] as const }

  it('stand where they were put, with a leader from their place to the nearest side', () => {
    for (const scale of [1, 2]) {
      const { context, lines } = recorder()
      drawAnnotations(context, { ...nothing, notes: [note] }, project, scale)
      const rect = noteRects(context, [note], project, scale, [])[0]!
      const [x, y] = project(note.at)
      expect(rect.x - x).toBeCloseTo(30 * scale, 9)
      expect(rect.y + rect.height / 2 - y).toBeCloseTo(-20 * scale, 9)
      expect(lines).toContainEqual([x, y, rect.x, rect.y + rect.height / 2])
      const left = { ...note, offset: [-120, 0] as const }
      const before = noteRects(context, [left], project, scale, [])[0]!
      drawAnnotations(context, { ...nothing, notes: [left] }, project, scale)
      expect(lines).toContainEqual([x, y, before.x + before.width, before.y + before.height / 2])
    }
  })

  it('stand at another side of their places where a legend or another note is in the way', () => {
    const { context } = recorder()
    const [own] = noteRects(context, [note], project, 1, [])
    const [x] = project(note.at)
    const [moved] = noteRects(context, [note], project, 1, [{ ...own!, width: 5 }])
    expect(moved).toEqual({ ...own, x: 2 * x - own!.x - own!.width })
    const both = noteRects(context, [note, { ...note, id: 'b' }], project, 1, [{ ...own!, width: 5 }])
    expect(both[0]).toEqual(moved)
    expect(overlap(both[0]!, both[1]!)).toBe(0)
    // no side is free: where it was put
    expect(noteRects(context, [note], project, 1, [{ x: -1e4, y: -1e4, width: 2e4, height: 2e4 }])).toEqual([own])
  })

  it('go from the top down', () => {
    const { context, texts } = recorder()
    drawAnnotations(context, { ...nothing, captions: ['40 L/s', 't = 3 s'] }, project, 1)
    expect(texts.map(({ text }) => text)).toEqual(['40 L/s', 't = 3 s'])
    expect(texts[1]!.y).toBeGreaterThan(texts[0]!.y)
  })
})

describe('a scale bar', () => {
  it('is as long as it says from any side, in the unit that is shown', () => {
    // turned about z, seen from above: 50 pixels a metre
    for (const angle of [0, 0.4, 1.3]) {
      const turned: Project = ([x, y]) => [
        50 * (x! * Math.cos(angle) - y! * Math.sin(angle)),
        50 * (x! * Math.sin(angle) + y! * Math.cos(angle)),
      ]
      const { context, lines, texts } = recorder()
      drawScaleBar(context, { unit: 'mm', factor: 1000 }, turned, [400, 300], 1)
      const [x0, , x1] = lines[0]!
      expect(texts[0]!.text).toBe('1000 mm')
      expect(x1 - x0).toBeCloseTo(50, 9)
      expect(x1).toBe(390)
    }
  })
})

describe('the furthest points of a shape', () => {
  it('outline it from any side', () => {
    // points on an ellipsoid, placed by irrational turns
    const n = 5000
    const points = Float64Array.from({ length: 3 * n }, (_, i) => {
      const p = Math.floor(i / 3)
      const z = 1 - (2 * p + 1) / n
      const r = Math.sqrt(1 - z * z)
      return i % 3 === 0 ? 4 * r * Math.cos(2.4 * p) : i % 3 === 1 ? 2 * r * Math.sin(2.4 * p) : z
    })
    const found = supportPoints(points)
    expect(found.length).toBeLessThanOrEqual(3 * 96)
    const areaOf = (list: ArrayLike<number>, u: number, v: number): number =>
      covered(convexHull(Array.from({ length: list.length / 3 }, (_, p) => [list[3 * p + u]!, list[3 * p + v]!])), {
        x: -9,
        y: -9,
        width: 18,
        height: 18,
      })
    for (const [u, v, exact] of [
      [0, 1, 8 * Math.PI],
      [0, 2, 4 * Math.PI],
      [1, 2, 2 * Math.PI],
    ] as const) {
      expect(areaOf(points, u, v) / exact).toBeGreaterThan(0.99)
      expect(areaOf(found, u, v) / areaOf(points, u, v)).toBeGreaterThan(0.9)
    }
    expect(supportPoints([])).toEqual([])
  })
})
