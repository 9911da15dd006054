import { describe, expect, it } from 'vitest'
import { colourMaps } from '../../../core/colour/maps'
import { lookChoices, readLook } from '../../../core/study/lookWords'
import type { LookedAt } from '../../../core/study/lookWords'
import { colouredLook, plainLook } from '../../../core/study/defaults'
import { inUnit } from '../../../core/units/typedNumbers'

const look = colouredLook('p')
const surface: LookedAt = { look, kind: 'surface', ends: { min: 1, max: 9 } }

/** Values are pascals, shown in kPa. */
const read = (text: string, at = surface) => readLook(text, at, (number) => inUnit(number, 'Pa', 'kPa'))?.change ?? null

describe('looks that are typed with numbers', () => {
  it('takes ranges in the unit that is shown, or in a named one', () => {
    expect(read('range 0 to 3')).toEqual({ range: { ...look.range, mode: 'hand', min: 0, max: 3000 } })
    expect(read('Range from -2 to 3.5 Pa')?.range).toMatchObject({ min: -2, max: 3.5 })
    expect(read('range 1 kPa … 2000 Pa')?.range).toMatchObject({ min: 1000, max: 2000 })
    expect(read('symmetric about 1e-1')?.range).toMatchObject({ mode: 'symmetric', about: 100 })
  })

  it('takes bands by number and by step, and levels in any order', () => {
    expect(read('24 bands')).toEqual({ bands: 24, levels: undefined, bandStep: undefined })
    expect(read('bands 24')).toEqual(read('24 bands'))
    expect(read('bands of 0.5')?.bandStep).toBe(500)
    expect(read('levels 3, 1 2 Pa')?.levels).toEqual([1, 2, 3])
  })

  it('takes opacity as a share or in percent, and widths of lines', () => {
    expect(read('opacity 40 %')).toEqual({ opacity: 0.4 })
    expect(read('opacity 0.4')).toEqual({ opacity: 0.4 })
    expect(read('width 2 pt', { ...surface, kind: 'lines' })).toEqual({ width: 2, thickness: undefined })
  })

  it('offers nothing for what is not possible', () => {
    const wrong = ['range 3 to 1', 'range 0 to 3 m', 'range 1', 'bands 0', 'bands 2.5', 'bands of -1', 'levels 1', 'opacity 300', 'width 2']
    for (const text of [...wrong, 'slice z 1.2', 'range']) expect(read(text), text).toBeNull()
    expect(read('opacity 40', { ...surface, kind: 'lines' })).toBeNull()
    expect(read('range 0 to 3', { ...surface, look: plainLook() })).toBeNull()
  })
})

it('finds each choice of a look once, and those of colours only where there are some', () => {
  const titles = lookChoices(surface, colourMaps).map(({ title }) => title.join(': '))
  expect(new Set(titles).size).toBe(titles.length)
  expect(titles).toEqual(expect.arrayContaining(['Range: this step', 'Colours: Greys', 'Edges: cells', 'Opacity: 50 %']))
  const plain = lookChoices({ ...surface, look: plainLook(), kind: 'lines' }, colourMaps)
  expect(plain.map(({ title }) => title[0])).toEqual(['Lines', 'Lines', 'Lines', 'Rim of lines', 'Rim of lines'])
})
