/** Numbers that must be defended: balances, limits, loads, calculations, and one reading over everything. */
import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { launch, openPage } from '../support/browser'
import { workbenchOf } from '../support/workbench'

const url = inject('url')
let browser: Browser
let page: Page
const { settled, say, selected, select, byId, begin, reading } = workbenchOf(() => page, url)

beforeAll(async () => {
  browser = await launch()
  page = await openPage(browser)
  await begin('40 L/s')
})
afterAll(() => browser?.close())

const part = (name: string) => selected().locator('[data-reading-parts] tr').filter({ hasText: name }).locator('td').first()

async function choose(token: string, options: RegExp[]): Promise<void> {
  await selected().getByRole('button', { name: token }).click()
  for (const option of options) await page.getByRole('option', { name: option }).first().click()
  await page.keyboard.press('Escape')
  await settled()
}

describe('readings', () => {
  it('a balance takes all that bounds the region, and says in, out and what is left over', async () => {
    await say('balance', /^Balance/)
    // the way through is known exactly: 40 L/s, less what the mesh makes of it
    await expect.poll(() => part('in').textContent()).toMatch(/^0\.03\d+ m³\/s/)
    await expect.poll(() => part('left over').textContent()).toMatch(/^−?\d+\.\d+ %$/)
    await choose('Input “through”', [/^Drain/])
    expect(await selected().textContent()).toMatch(/leave Water open: Drain bounds it as well/)
    await selected().getByRole('button', { name: 'Take all that bound it' }).click()
    await settled()
    expect(await selected().textContent()).not.toMatch(/leave Water open/)
  })

  it('two stations side by side, their difference, and whether it keeps to a limit', async () => {
    await say('slice z 0.5 T', /^Slice at z = 0\.5 m/)
    await say('measure mean T', /^Measure mean of T/)
    const first = await reading()
    // a mean by area of what the flow carries is doubted, and weighted by one click
    expect(await selected().textContent()).toMatch(/mean by area/)
    await selected().getByRole('button', { name: 'Weight by U' }).click()
    await settled()
    expect(await selected().textContent()).toMatch(/integral\(T · dot\(U, normal\)\) \/ integral\(dot\(U, normal\)\)/)
    await page.keyboard.press('Control+z')
    await settled()
    // a second one is made of the region, not of the first slice
    await say('slice z 1.5 T', /^Slice at z = 1\.5 m/)
    await say('measure mean T', /^Measure mean of T/)
    const second = await reading()
    await say('calculate a - b', /^Calculate/)
    expect(Math.abs((await reading()) - (first - second))).toBeLessThan(0.02)
    expect(await selected().textContent()).toMatch(/a = Measure 1, b = Measure 2/)
    await selected()
      .getByRole('button', { name: /^Limit/ })
      .click()
    await page.keyboard.type('at most 5 bananas')
    await page.keyboard.press('Enter')
    expect(await page.getByRole('alert').textContent()).toMatch(/“bananas” is no unit/)
    await page.getByRole('textbox', { name: 'Limit' }).fill('at most 5 K')
    await page.keyboard.press('Enter')
    await expect.poll(() => selected().locator('[data-verdict]').textContent()).toMatch(/keeps to\s+at most 5 K/)
  })

  it('a load on the arm, as a force and as a moment about a point', async () => {
    await say('load as force Arm skin', /^Load/)
    await expect.poll(() => selected().textContent()).toMatch(/integral of p \* normal over the surface/)
    expect(await selected().locator('p.num').nth(0).textContent()).toMatch(/ N$/)
    await choose('quantity', [/^moment/])
    await expect.poll(() => selected().textContent()).toMatch(/No point was given/)
    await selected()
      .getByRole('button', { name: /^It is about/ })
      .click()
    await expect.poll(() => selected().textContent()).toMatch(/about the point.*about \(.*\) m/s)
    expect(await selected().textContent()).not.toMatch(/No point was given/)
  })

  it('one reading over thirty places of its slice is a table that is sorted, with its limit', async () => {
    await select(byId('measure'))
    await choose('Taken over', [/^Slice 1 z/])
    await expect.poll(() => page.getByRole('status').filter({ hasText: '20 values' }).count(), { timeout: 60_000 }).toBe(1)
    await page.getByRole('button', { name: 'Table', exact: true }).first().click()
    const rows = page.locator('table[data-over] tbody tr')
    await expect.poll(() => rows.count()).toBe(20)
    const values = async (): Promise<number[]> =>
      (await rows.locator('td:nth-child(2)').allTextContents()).map((text) => Number(text.trim()))
    await page
      .getByRole('columnheader', { name: /mean of T/ })
      .getByRole('button')
      .click()
    const sorted = await values()
    expect(sorted).toEqual([...sorted].sort((a, b) => a - b))
    expect(sorted[0]).toBeLessThan(sorted.at(-1)!)
  })

  it('over a constant of the study it follows it, through the formulas that use it', async () => {
    const formula = async (text: string): Promise<void> => {
      await page.getByRole('button', { name: 'New formula' }).click()
      await page.keyboard.type(text)
      await page.keyboard.press('Enter')
    }
    await formula('phi = 0')
    await formula("swung = atphase(T, 0 * T, phi * 1 'deg')")
    await say('measure mean swung Water', /^Measure mean/)
    await choose('Taken over', [/^phi/])
    const change = async (title: string, value: string): Promise<void> => {
      await selected()
        .getByRole('button', { name: new RegExp(`^${title}:`) })
        .click()
      await page.keyboard.type(value)
      await page.keyboard.press('Enter')
    }
    await change('To', '120')
    await change('Number of values', '3')
    await expect.poll(() => page.getByRole('status').filter({ hasText: '3 values' }).count(), { timeout: 60_000 }).toBe(1)
    await page.getByRole('button', { name: 'Table', exact: true }).last().click()
    const cells = page.locator('table[data-over]').last().locator('tbody tr td:nth-child(2)')
    await expect.poll(() => cells.count()).toBe(3)
    const [whole, half, less] = (await cells.allTextContents()).map((text) => Number(text.trim().replace('−', '-'))) as [
      number,
      number,
      number,
    ]
    expect(half / whole).toBeCloseTo(0.5, 3)
    expect(less / whole).toBeCloseTo(-0.5, 3)
  })

  it('nodes are found by number, and measured where they are; what is not there is said', async () => {
    await say('find nodes of Water numbered 1 200 99999999', /^Find/)
    await expect
      .poll(() => selected().locator('table tbody tr').allTextContents())
      .toEqual([expect.stringMatching(/^\s*1\s*Water/), expect.stringMatching(/^\s*200\s*Water/)])
    expect(await selected().textContent()).toContain('no node 99999999 there')
    await say('measure mean T over Find 1', /^Measure/)
    await expect.poll(() => selected().textContent()).toMatch(/28\d\.\d+ K.*over 2 points/)
  })

  it('axes are made, named and used in formulas', async () => {
    await page.getByRole('button', { name: 'New axes' }).click()
    await page.locator('[data-axes]').getByRole('button', { name: 'Name: Axes 1' }).click()
    await page.keyboard.type('Tank')
    await page.keyboard.press('Enter')
    await page.getByRole('button', { name: 'New formula' }).click()
    await page.keyboard.type('swirl = in("Tank", U).t')
    await expect.poll(() => page.getByRole('region', { name: 'Formulas' }).getByRole('status').textContent()).toMatch(/m\/s to 0\.\d+ m\/s/)
    await page.keyboard.press('Enter')
    await page.getByRole('button', { name: /^swirl\s*= in\(/ }).waitFor()
    await say('measure largest value swirl Water', /^Measure/)
    await expect.poll(() => selected().textContent()).toMatch(/at \(.*\) m/)
    // a new name of the axes goes into the formula
    await page.locator('[data-axes]').getByRole('button', { name: 'Name: Tank' }).click()
    await page.keyboard.type('Basin')
    await page.keyboard.press('Enter')
    await expect.poll(() => page.getByRole('region', { name: 'Formulas' }).textContent()).toContain('in("Basin", U).t')
  })

  it('begin anew what a choice no longer fits: a vector through the surface of the region', async () => {
    await say('measure volume of Water', /^Measure size of Water/)
    await choose('quantity: size', [/^flux/])
    await expect.poll(() => selected().textContent()).toMatch(/flux\s*of\s*U\s*out of.*through\s*outside of Water/)
    // of 0.04 m³/s that go in
    expect(Math.abs(await reading())).toBeLessThan(0.003)
    await choose('quantity: flux', [/^standard deviation/])
    await expect.poll(() => selected().textContent()).toMatch(/standard deviation\s*of\s*(?!phi)\w+\s*over/)
    expect(await reading()).toBeGreaterThan(0)
    await say('find', /^Find/)
    await choose('what: nodes', [/^cells/])
    expect(await selected().getByRole('alert').allTextContents()).toEqual([])
    await expect.poll(() => selected().textContent()).toMatch(/cells\s*of/)
  })
})
