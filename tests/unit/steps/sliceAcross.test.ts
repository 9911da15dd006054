/** Slices across a curve of another case: a centre line that came as a table. */
import { describe, expect, it } from 'vitest'
import { openNamed } from '../../../core/formats/series'
import { readCase } from '../../../core/store/memoryCase'
import { linear, workbench } from '../../support/carrying'
import { atPoints, boxMesh, testCase } from '../../support/meshes'
import { MemoryFolder } from '../../support/vtkFiles'

describe('slices across a curve of a table', () => {
  const mesh = boxMesh({ n: 6, kind: 'hexahedron' })
  const water = testCase(mesh, { T: { values: atPoints(mesh, linear), components: 1, unit: 'K' } })
  const rows = 'x [mm],y [mm],z [mm],line\n0,500,500,1\n500,500,500,1\n500,500,1000,1\n'
  const across = (share: number) => ({
    kind: 'slice',
    settings: { form: 'across', share, origin: [0, 0, 0], normal: [0, 0, 1] },
    inputs: { of: [{ part: 'Water' }], curve: [{ part: 'lines' }] },
  })

  it('lie where it is in the unit of the case that is cut', async () => {
    const centre = await readCase(await openNamed(['c.csv'], new MemoryFolder({ 'c.csv': Buffer.from(rows) })), 0)
    const mean = { kind: 'measure', settings: { quantity: 'mean', variable: 'T' }, inputs: { of: [{ step: 'up' }] } }
    const { shape, json } = workbench({ water, centre }, { along: across(0.3), up: across(0.75), mean })
    const frame = { case: 'water', moment: 0 }
    const { points } = shape('along', frame)
    for (let p = 0; p < points.length; p += 3) expect(points[p]).toBeCloseTo(0.3, 12)
    expect(points.length).toBeGreaterThan(0)
    // the mean of what is linear is that of the middle of the section
    expect(json('mean', frame)).toMatchObject({ value: expect.closeTo(linear(0.5, 0.5, 0.75), 9) as number, unit: 'K' })
  })
})
