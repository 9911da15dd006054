import { readFile } from 'node:fs/promises'
import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { openNamed } from '../../core/formats/series'
import { readCase } from '../../core/store/memoryCase'
import { launch, openPage } from '../support/browser'
import { evaluatorFor } from '../support/evaluation'
import { MemoryFolder } from '../support/vtkFiles'
import { workbenchOf } from '../support/workbench'

const url = inject('url')
let browser: Browser
let page: Page
const problems: string[] = []

beforeAll(async () => {
  browser = await launch()
  page = await openPage(browser)
  page.on('pageerror', (error) => problems.push(error.message))
})
afterAll(() => browser?.close())

const { settled, say, selected, byId, select, begin, reading } = workbenchOf(() => page, url)
const step = (name: string) => page.locator('[data-step]').filter({ hasText: name })

async function choose(token: RegExp, option: RegExp): Promise<void> {
  await selected().getByRole('button', { name: token }).click()
  await page.getByRole('option', { name: option }).click()
  await settled()
}

describe('where the water stands still', () => {
  it('is kept by a condition, sliced, traced and measured', async () => {
    await begin('40 L/s, wandering')
    await say('keep Water where mag(U) < 0.05 m/s and age > 900 s', /^Keep Water where mag\(U\) < 0.05 m\/s and age > 900 s/)
    await say('slice z 1', /^Slice at z = 1 m/)
    expect(await selected().textContent()).toMatch(/Slice\s*Keep 1\s*at z/)
    await say('area', /Measure/)
    expect(await reading()).toBeGreaterThan(1)
    await select(step('Keep').first())
    await say('streamlines', /^Trace streamlines/)
    // it needs a line to start from, and makes one
    expect(await selected().textContent()).toMatch(/in\s*Keep 1\s*from\s*Line 1/)
    expect(await selected().getByRole('alert').count()).toBe(0)
    await select(step('Keep').first())
    await say('mean T', /^Measure mean of T/)
    expect(await reading()).toBeGreaterThan(280)
  })

  it('follows when the condition changes; a mistake is pointed at', async () => {
    await select(step('Keep').first())
    await say('volume', /Measure/)
    const before = await reading()
    await select(step('Keep').first())
    await selected()
      .getByRole('button', { name: /^Condition/ })
      .click()
    const box = selected().getByRole('textbox', { name: 'Condition' })
    await box.fill('mag(U) < 0.1 m/s and age >')
    expect(await selected().getByRole('alert').textContent()).toMatch(/ends too early/)
    await box.fill('mag(U) < 0.1 m/s and age > 900 s')
    await page.keyboard.press('Enter')
    await settled()
    await select(byId('measure-3'))
    expect(await reading()).toBeGreaterThan(before * 1.2)
  })

  it('has a volume at every moment, as a curve and as a table, and is one value again', async () => {
    await choose(/^Taken over/, /every moment/)
    await page.keyboard.press('Escape')
    await expect.poll(() => page.getByLabel('Exhibits').textContent()).toMatch(/24 values/)
    expect(await selected().textContent()).toMatch(/smallest .* m³ at time .* s/)
    const card = page.getByLabel('Exhibits').getByRole('article').filter({ hasText: '24 values' })
    await card.getByRole('button', { name: 'Table' }).click()
    expect(await card.getByRole('row').count()).toBe(25)
    const [download] = await Promise.all([page.waitForEvent('download', { timeout: 60_000 }), save('csv')])
    const lines = (await readFile(await download.path(), 'utf8')).trim().split('\n')
    expect(lines[0]).toMatch(/^time \[s\],size of Keep 1 \[m³\]/)
    expect(lines).toHaveLength(25)
    await choose(/^Taken over/, /this moment/)
    expect(await reading()).toBeGreaterThan(0)
  })

  it('is exported as a mesh and read in again with the same numbers', async () => {
    await select(byId('measure-3'))
    const volume = await reading()
    await select(step('Keep').first())
    const [download] = await Promise.all([page.waitForEvent('download', { timeout: 60_000 }), save('vtu', 'T')])
    const bytes = await readFile(await download.path())
    const back = evaluatorFor(await readCase(await openNamed(['kept.vtu'], new MemoryFolder({ 'kept.vtu': bytes })), 0), {})
    expect(back.measure('integral(1)', ['region']).value).toBeCloseTo(volume, 2)
    expect(back.measure('mean(T)', ['region']).value).toBeGreaterThan(280)
  })

  it('a flow through a slice over many places', async () => {
    await say('slice z 1.2 Water', /^Slice .*Water at z = 1.2 m/)
    await say('measure mass flow', /^Measure mass flow/)
    await choose(/^Taken over/, /^Slice 2 z/)
    await page.keyboard.press('Escape')
    await selected()
      .getByRole('button', { name: /^Number of values/ })
      .click()
    await page.keyboard.type('50')
    await page.keyboard.press('Enter')
    await expect.poll(() => page.getByLabel('Exhibits').textContent()).toMatch(/50 values/)
    // a reload finds the rows that are there
    await page.reload()
    await expect.poll(() => page.getByLabel('Exhibits').textContent()).toMatch(/50 values/)
  })
})

/** Opens the export of the selected step and saves it. */
async function save(format: string, variable?: string): Promise<void> {
  await selected().getByRole('button', { name: 'Export', exact: true }).click()
  const form = page.getByRole('form', { name: 'Export' })
  await form.getByLabel('Format').selectOption(format)
  if (variable) await form.getByLabel(variable, { exact: true }).check()
  await form.getByRole('button', { name: 'Save' }).click()
  await page.keyboard.press('Escape')
}

describe('a forgotten clip', () => {
  it('is put in under everything that stands, moved, turned and taken out again', async () => {
    await begin('40 L/s')
    await say('slice z 1', /^Slice at z = 1 m/)
    await say('area', /Measure/)
    const whole = await reading()
    await select(page.locator('[data-step]').first())
    await say('clip Water x 0', /^Clip Water at x = 0 m/)
    await selected().getByRole('button', { name: 'More' }).click()
    await page.getByRole('menuitem', { name: 'Put under all' }).click()
    await settled()
    expect(await byId('slice').textContent()).toMatch(/Slice\s*Clip 1\s*at z/)
    await select(byId('measure'))
    const ahead = await reading()
    expect(ahead / whole).toBeCloseTo(0.5, 1)
    await select(step('Clip').first())
    await choose(/^side/, /behind/)
    await select(byId('measure'))
    expect(ahead + (await reading())).toBeCloseTo(whole, 2)
    await select(step('Clip').first())
    const handle = (await page.locator('[data-handle=plane]').boundingBox())!
    await page.mouse.move(handle.x + 12, handle.y + 18)
    await page.mouse.down()
    for (const d of [5, 15, 30]) await page.mouse.move(handle.x + 12 + d, handle.y + 18 + d)
    await page.mouse.up()
    await settled()
    expect(
      await selected()
        .getByRole('button', { name: /Place of the plane/ })
        .textContent(),
    ).not.toMatch(/^0\sm/)
    await selected().getByRole('button', { name: 'Delete' }).click()
    await settled()
    expect(await byId('slice').textContent()).toMatch(/Slice\s*Water\s*at z/)
    await select(byId('measure'))
    expect(await reading()).toBe(whole)
  })

  it('by a box and a sphere has handles; in whole cells it is coarser', async () => {
    await say('clip Water by box', /^Clip Water by box/)
    await page.locator('[data-handle=low]').press('ArrowLeft')
    await settled()
    await choose(/^form/, /sphere/)
    const before = await selected()
      .getByRole('button', { name: /^radius/ })
      .textContent()
    await page.locator('[data-handle=radius]').press('ArrowRight')
    await expect
      .poll(() =>
        selected()
          .getByRole('button', { name: /^radius/ })
          .textContent(),
      )
      .not.toBe(before)
    await choose(/^cells/, /whole cells/)
    expect(await selected().getByRole('alert').count()).toBe(0)
    await choose(/^form/, /cylinder/)
    expect(await selected().textContent()).toMatch(/along\s*x/)
    expect(problems).toEqual([])
  })
})
