import { mkdir, writeFile } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { launch, openPage } from '../support/browser'
import { say, settled, takeBackFirstLook } from '../support/workbench'
import { foamCase } from '../support/writers/foam'
import { frdFile } from '../support/writers/frd'
import { cgnsFile, medFile, writeHdf5 } from '../support/writers/hdf5'
import { boxModel, EXACT } from '../support/writers/model'

const url = inject('url')
const data = join(inject('data'), 'data')
const model = boxModel()
let browser: Browser
let page: Page
const problems: string[] = []

async function put(name: string, bytes: Uint8Array | string): Promise<void> {
  await mkdir(dirname(join(data, name)), { recursive: true })
  await writeFile(join(data, name), bytes)
}

beforeAll(async () => {
  for (const [name, bytes] of Object.entries(foamCase(model, { processors: 2, isBinary: true, isZipped: true, times: ['0', '1'] })))
    await put(`runs/channel/${name}`, bytes)
  await put(
    'runs/beam.frd',
    frdFile(model, 'long', [
      { kind: 2, value: 12.5, step: 1 },
      { kind: 2, value: 80, step: 2 },
    ]),
  )
  await put('runs/broken.frd', frdFile(model, 'long').subarray(0, 3000))
  await writeHdf5(join(data, 'runs/duct.cgns'), cgnsFile(model, 'faces'))
  await writeHdf5(join(data, 'runs/box.med'), medFile(model, [0]))
  browser = await launch()
  page = await openPage(browser, { width: 1000, height: 700 })
  page.on('pageerror', (error) => problems.push(error.message))
})
afterAll(() => browser?.close())

const row = (name: string) => page.locator('main .card > div').filter({ has: page.getByText(name, { exact: true }) })

async function bringIn(file: string): Promise<void> {
  await page.goto(url)
  await page.getByRole('button', { name: 'Bring in' }).click()
  const files = page.getByLabel('Files that can be brought in')
  await files.locator('div').filter({ hasText: file }).last().getByRole('button', { name: 'Bring in' }).click()
}

async function study(name: string): Promise<void> {
  await row(name).getByRole('button', { name: 'Start a study' }).click()
  await page.locator('[data-step]').first().waitFor()
  await takeBackFirstLook(page)
}

/** The n-th measured number, once it is there. */
async function reading(n: number): Promise<number> {
  const place = page.locator('[data-reading]').nth(n)
  await expect.poll(() => place.textContent()).toMatch(/\d/)
  return parseFloat((await place.textContent())!.replace('−', '-'))
}

describe('results of other programs, in the browser', () => {
  it('a decomposed, compressed case folder: slice, exact mean, and the flow through a patch', async () => {
    await bringIn('runs/channel/')
    await study('channel')
    await say(page, 'slice z 0.2 U', /Slice at z = 0.2 m coloured by U/)
    await page.getByRole('img', { name: /^mag\(U\), m\/s|^U, m\/s/ }).waitFor()
    await say(page, 'volume region', /Measure size/)
    expect(await reading(0)).toBeCloseTo(EXACT.volume, 3)
    await say(page, 'measure mean T', /Measure mean of T/)
    expect(await reading(1)).toBeCloseTo(EXACT.temperature, 1)
    expect(await page.locator('[data-reading]').nth(1).textContent()).toMatch(/K/)
    // a run opens where it has come to
    await expect.poll(() => page.getByLabel('Moments').textContent()).toMatch(/2 of 2/)
    // values on cells are smoothed where they must be, which is said
    await say(page, 'isosurface T 291', /Surface where T = 291/)
    await page.getByText('T lives on cells; it was smoothed to points').waitFor()
  })

  it('modes of a structure, with a tensor by its norm', async () => {
    await bringIn('runs/beam.frd')
    await study('beam')
    expect(await page.getByLabel('Moments').textContent()).toMatch(/12\.5/)
    await page.getByRole('button', { name: 'Next moment' }).click()
    await settled(page)
    await expect.poll(() => page.getByLabel('Moments').textContent()).toMatch(/2 of 2/)
    await say(page, 'slice x 1 STRESS', /Slice at x = 1/)
    await page.getByRole('img', { name: /mag\(STRESS\)/ }).waitFor()
  })

  it('polyhedra of an HDF5 file', async () => {
    await bringIn('runs/duct.cgns')
    await study('duct')
    await say(page, 'isosurface Temperature 291.5', /Surface where Temperature = 291.5/)
    await say(page, 'volume Tank', /Measure size/)
    expect(await reading(0)).toBeCloseTo(EXACT.volume, 3)
    expect(await page.getByRole('list').textContent()).toContain('Show Inlet')
  })

  it('values at corners, and integration points as what they are', async () => {
    await bringIn('runs/box.med')
    await study('box')
    await say(page, 'show region n', /Show region coloured by n/)
    await page.getByRole('img', { name: /^n, Pa/ }).waitFor()
    await say(page, 'show region integration points g', /Show region integration points coloured by g/)
    await page.getByRole('img', { name: /^g, m/ }).waitFor()
    // dots have a size, and no edges
    await page.getByText('Size', { exact: true }).waitFor()
    await say(page, 'maximum n', /Measure largest of n/)
    expect(await reading(0)).toBe(10 * (model.cells.length - 1) + 2)
    await page.goto(url)
    await row('box').getByRole('link', { name: 'Data check' }).click()
    await page
      .getByRole('cell', { name: /^corners/ })
      .first()
      .waitFor()
    await page.getByText(/g lives on integration points; cells of region show the mean of theirs/).waitFor()
  })

  it('a damaged one is named with what is wrong, and the rest goes on', async () => {
    await bringIn('runs/broken.frd')
    await expect.poll(() => row('broken').getByRole('alert').textContent()).toMatch(/cut off|should be/)
    await study('duct')
    expect(problems).toEqual([])
  })
})
