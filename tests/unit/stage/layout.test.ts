/** Legends find free room, pictures are cropped to what is drawn. */
import { describe, expect, it } from 'vitest'
import { legendSize, placeOnBar } from '../../../stage/legend'
import type { LegendSpec } from '../../../stage/legend'
import { convexHull, covered, placeLegends, placeOf } from '../../../stage/legendPlaces'
import type { Rect } from '../../../stage/legendPlaces'
import { pictureLayout } from '../../../stage/pictureLayout'
import type { Outline } from '../../../stage/pictureLayout'
import { fittingText, plainText, textRuns } from '../../../stage/richText'

const overlaps = (a: Rect, b: Rect): boolean => a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height

/** Outlines of ten models as shares of the stage: boxes seen from the front and from three quarters, wide, tall, in corners. */
const models = [
  ...[
    [0.2, 0.2, 0.8, 0.8],
    [0.05, 0.3, 0.95, 0.7],
    [0.4, 0.02, 0.6, 0.98],
    [0, 0, 0.5, 1],
    [0.5, 0, 1, 1],
    [0.1, 0.45, 0.9, 0.98],
  ].map(([a, b, c, d]) => [
    [a, b],
    [c, b],
    [c, d],
    [a, d],
  ]),
  ...[
    [0.5, 0.5, 0.4, 0.35],
    [0.45, 0.55, 0.42, 0.2],
    [0.3, 0.5, 0.25, 0.45],
    [0.7, 0.4, 0.2, 0.3],
  ].map(([x, y, rx, ry]) =>
    Array.from({ length: 6 }, (_, i) => [x! + rx! * Math.cos((i * Math.PI) / 3 + 0.3), y! + ry! * Math.sin((i * Math.PI) / 3 + 0.3)]),
  ),
] as [number, number][][]
const sizes = [
  [700, 480],
  [932, 596],
  [1280, 720],
  [1600, 1000],
  [560, 900],
] as const

describe('legends', () => {
  const [w, h] = legendSize({}).map((x) => (x * 96) / 72) as [number, number]

  it.each(sizes)('on a stage of %d × %d cover nothing that free room would spare', (width, height) => {
    for (const shares of models) {
      const model = shares.map(([x, y]): [number, number] => [x * width, y * height])
      const hull = convexHull(model)
      const taken = [{ x: width - 176, y: 0, width: 176, height: 48 }]
      const isFree = (rect: Rect): boolean => covered(hull, rect) === 0 && taken.every((other) => !overlaps(rect, other))
      const [found] = placeLegends({ width, height, model, taken, gap: 10 }, [{ width: w, height: h }])
      let hasRoom = false
      for (let x = 15; x <= width - w - 15 && !hasRoom; x += 10)
        for (let y = 15; y <= height - h - 15 && !hasRoom; y += 10)
          // with the gap that is kept to the model
          hasRoom = isFree({ x: x - 5, y: y - 5, width: w + 10, height: h + 10 })
      if (hasRoom) expect(covered(hull, found!), JSON.stringify([shares, width])).toBe(0)
      expect(taken.every((other) => !overlaps(found!, other))).toBe(true)
      expect(found!.x >= 0 && found!.y >= 0 && found!.x + w <= width && found!.y + h <= height).toBe(true)
    }
  })

  it('stand clear of each other, and where they were put at any size', () => {
    const room = { width: 900, height: 600, model: [], taken: [], gap: 10 }
    const three = placeLegends(
      room,
      Array.from({ length: 3 }, () => ({ width: w, height: h })),
    )
    three.forEach((a, i) => three.slice(i + 1).forEach((b) => expect(overlaps(a, b)).toBe(false)))
    const place = placeOf({ x: 20, y: 600 - 40 - h, width: w, height: h }, room)
    expect(place).toMatchObject({ corner: 'bottom-left', x: 20, y: expect.closeTo(40, 9) })
    const [moved] = placeLegends({ ...room, width: 500, height: 1000 }, [{ width: w, height: h, place }])
    expect(moved).toMatchObject({ x: 20, y: expect.closeTo(1000 - 40 - h, 9) })
    const [kept] = placeLegends({ ...room, width: 100 }, [{ width: w, height: h, place: { corner: 'top-left', x: 400, y: 10 } }])
    expect(kept!.x).toBeGreaterThanOrEqual(0)
  })

  it('have listed levels at equal distances', () => {
    const scale = { min: 0, max: 20, bands: 0, levels: [0, 1, 5, 20] }
    expect([0, 1, 3, 5, 20, 99].map((v) => placeOnBar(v, scale))).toEqual([0, 1 / 3, 0.5, 2 / 3, 1, 1].map((x) => expect.closeTo(x, 12)))
  })

  it('have titles with raised and lowered parts and Greek', () => {
    expect(textRuns('U_ref in m^2 s^{-1}')).toEqual([
      { text: 'U', level: 0 },
      { text: 'ref', level: -1 },
      { text: ' in m', level: 0 },
      { text: '2', level: 1 },
      { text: ' s', level: 0 },
      { text: '-1', level: 1 },
    ])
    expect(plainText('\\Delta p / \\rho, \\unknown, \\nu 5, U_\\infty')).toBe('Δp / ρ, \\unknown, ν 5, U∞')
    expect(textRuns('m s⁻¹')).toEqual([
      { text: 'm s', level: 0 },
      { text: '−1', level: 1 },
    ])
  })
})

describe('a text that is too long', () => {
  const letters = (text: string): number => text.length

  it.each([
    ['speed, m/s', 20, 'speed, m/s'],
    ['mean of T over Points 1 in Water, taken as it lies, K', 30, 'mean of T over Points 1 …, K'],
    ['Measure 1: mean of T over Water', 20, 'Measure 1: mean of …'],
    ['Measure 1: mean', 12, 'Measure 1 …'],
    ['unbreakable', 4, 'unbreakable …'],
  ])('%s', (text, room, fitting) => expect(fittingText(text, room, letters)).toBe(fitting))
})

describe('a picture', () => {
  const spec = { variable: 'T', steps: [], name: 'T', unit: 'K', range: '', map: 'viridis', scale: { min: 0, max: 1, bands: 0 } }
  const legend: LegendSpec = { ...spec, isOfMoment: false, isReady: true, seen: null }
  // a square in the middle third of a frame
  const outline = ([w, h]: readonly [number, number]): [number, number][] => [
    [w / 2 - h / 6, h / 3],
    [w / 2 + h / 6, (2 * h) / 3],
  ]

  it('of the whole view is the frame, its legends in it', () => {
    const wishes = { width: 800, height: 500, pixelsPerPoint: 1, legends: [legend], remarks: [] }
    const { frame, area, legends } = pictureLayout(wishes, outline, 1.6)
    expect([frame, area]).toEqual([[800, 500], { x: 0, y: 0, width: 800, height: 500 }])
    expect(legends[0]!.rect.x + legends[0]!.rect.width).toBeLessThanOrEqual(800)
  })

  it.each([
    [300, 500],
    [500, 300],
    [900, 240],
    [240, 900],
  ])('of %d × %d, whose view fills it, is drawn smaller so that its legends are clear of it', (width, height) => {
    const aspect = 1.6
    // the whole stage, as the camera fits it into a frame
    const filled = ([w, h]: readonly [number, number]): [number, number][] => {
      const [across, up] = w / h > aspect ? [h * aspect, h] : [w, w / aspect]
      return [-1, 1].flatMap((sx) => [-1, 1].map((sy): [number, number] => [(w + sx * across) / 2, (h + sy * up) / 2]))
    }
    for (const isLying of [false, true]) {
      const wishes = { width, height, pixelsPerPoint: 0.8, legends: [{ ...legend, isLying }], remarks: [] }
      const { frame, area, legends } = pictureLayout(wishes, filled, aspect)
      expect(area).toEqual({ x: 0, y: 0, width, height })
      const { rect } = legends[0]!
      expect(covered(convexHull(filled(frame)), rect)).toBe(0)
      expect(rect.x >= 0 && rect.y >= 0 && rect.x + rect.width <= width && rect.y + rect.height <= height).toBe(true)
      // no smaller than that needs
      const [w, h] = legendSize({ isLying }).map((points) => points * 0.8 + 16) as [number, number]
      const scaleIn = (across: number, up: number): number => Math.min(across / aspect, up)
      expect(scaleIn(...frame)).toBeGreaterThanOrEqual(Math.max(scaleIn(width - w, height), scaleIn(width, height - h)) - 1e-9)
    }
  })

  it('of a film keeps its legends in one place, whatever moves', () => {
    const places = [0.1, 0.5, 0.9].map((shift) => {
      const wishes = { width: 640, height: 480, pixelsPerPoint: 1, legends: [legend], remarks: [], isSteady: true }
      const moved = ([w, h]: readonly [number, number]): [number, number][] => [
        [shift * w, 0],
        [shift * w, h],
      ]
      const { frame, legends } = pictureLayout(wishes, moved, 1.6)
      return { frame, rect: legends[0]!.rect }
    })
    expect(places[1]).toEqual(places[0])
    expect(places[2]).toEqual(places[0])
    expect(places[0]!.rect.x).toBeGreaterThanOrEqual(places[0]!.frame[0])
  })

  it.each([0, 12])('cropped with a margin of %d pt is as wide as asked and holds the model, its legend and no more', (margin) => {
    const wishes = { width: 1000, height: 5000, pixelsPerPoint: 2, legends: [legend], remarks: [], margin }
    const { frame, area, legends } = pictureLayout(wishes, outline, 1.6)
    const corners = outline(frame)
    expect(area.width).toBe(1000)
    const left = Math.min(...corners.map(([x]) => x))
    const right = legends[0]!.rect.x + legends[0]!.rect.width
    expect(left - area.x).toBeCloseTo(2 * margin, -0.5)
    expect(area.x + area.width - right).toBeCloseTo(2 * margin, -0.5)
    expect(legends[0]!.rect.x).toBeGreaterThan(Math.max(...corners.map(([x]) => x)))
  })

  it('cropped is narrower where it would be too high', () => {
    const tall: Outline = ([width, height]) => [0.45, 0.55].flatMap((x) => [0.1, 0.9].map((y): [number, number] => [x * width, y * height]))
    const wishes = { width: 1000, height: 1500, pixelsPerPoint: 2, legends: [legend], remarks: [], margin: 6 }
    const { frame, area, legends } = pictureLayout(wishes, tall, 1.6)
    const corners = tall(frame)
    expect(area.height).toBe(1500)
    expect(area.width).toBeLessThan(1000)
    expect(Math.max(...corners.map(([, y]) => y)) - Math.min(...corners.map(([, y]) => y))).toBeCloseTo(1500 - 2 * 12, -0.5)
    expect(legends[0]!.rect.x + legends[0]!.rect.width).toBeLessThanOrEqual(area.x + area.width)
  })
})
