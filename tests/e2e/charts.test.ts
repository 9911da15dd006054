import { readFile } from 'node:fs/promises'
import ExcelJS from 'exceljs'
import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { readTable } from '../../core/formats/table'
import { launch, openPage } from '../support/browser'
import { workbenchOf } from '../support/workbench'

/** Curves in one chart, as for a paper: two axes, scaled, named, exported, read with a cursor. */
let browser: Browser
let page: Page
const url = inject('url')
const { begin, say, selected, settled } = workbenchOf(() => page, url)
const chart = () => page.getByRole('region', { name: /^Chart / })

beforeAll(async () => {
  browser = await launch()
  page = await openPage(browser)
})
afterAll(() => browser?.close())

async function fill(label: string | RegExp, text: string): Promise<void> {
  const box = chart().getByLabel(label, typeof label === 'string' ? { exact: true } : {})
  await box.fill(text)
  await box.press('Enter')
}

async function saved(format: string): Promise<Buffer> {
  await chart().getByRole('button', { name: 'Save the chart' }).click()
  await page.getByLabel('Format').selectOption(format)
  const [download] = await Promise.all([
    page.waitForEvent('download', { timeout: 60_000 }),
    page.getByRole('form', { name: 'Save the chart' }).getByRole('button', { name: 'Save', exact: true }).click(),
  ])
  await chart().getByRole('button', { name: 'Save the chart' }).click()
  return readFile(await download.path())
}

describe('a chart as for a paper', () => {
  it('takes a second curve when its step is duplicated, and one in another unit on the right', async () => {
    await begin('40 L/s')
    await say('plot U along line', /^Plot along/)
    await page.keyboard.press('Control+d')
    await settled()
    await say('plot T along Line 1', /^Plot along/)
    await say('Open the chart Plot 1', /^Open the chart Plot 1/)
    await expect
      .poll(() =>
        chart()
          .getByRole('group', { name: /^Curve / })
          .count(),
      )
      .toBe(2)
    await chart().getByRole('combobox', { name: 'Add a curve' }).selectOption({ index: 1 })
    await expect
      .poll(() => chart().getByRole('radiogroup', { name: 'Axis of Plot 2' }).getByRole('radio', { checked: true }).textContent())
      .toContain('right')
    expect(await chart().getByText('Two units stand on one axis').count()).toBe(0)
  })

  it('has ranges, names and quotients as typed, and says what it cannot show', async () => {
    await chart()
      .getByRole('button', { name: /^Range of the left axis: automatic/ })
      .click()
    await page.keyboard.type('10 to 20 m/s')
    await page.keyboard.press('Enter')
    await chart().getByText('No point lies in the range that was typed.').waitFor()
    await chart()
      .getByRole('button', { name: /^Range of the left axis: 10 to 20 m\/s/ })
      .click()
    await page.getByRole('textbox', { name: 'Range of the left axis' }).fill('')
    await page.keyboard.press('Enter')
    await chart().getByText('No point lies in the range that was typed.').waitFor({ state: 'detached' })
    for (const name of ['Curve Plot 1', 'Curve Plot 1 copy']) {
      const curve = chart().getByRole('group', { name, exact: true })
      await curve.getByRole('button', { expanded: false }).click()
      await curve.getByLabel('Values divided by').fill('0.2 m/s')
      await curve.getByLabel('Values divided by').press('Tab')
      await curve.getByLabel('Name', { exact: true }).fill(`U_ref \\alpha {case}, ${name.length}`)
      await curve.getByLabel('Name', { exact: true }).press('Tab')
      await curve.getByRole('button', { expanded: true }).click()
    }
    await fill('Title of the abscissa', 'r / m')
    await fill('Value of the line', '1: reference')
    await chart().getByText('left axis 1 “reference”').waitFor()
    await chart().getByRole('radiogroup', { name: 'Scale of the abscissa' }).getByRole('radio', { name: 'log' }).click()
    await chart()
      .getByText(/of 600 points are not above 0/)
      .waitFor()
    await chart().getByRole('radiogroup', { name: 'Scale of the abscissa' }).getByRole('radio', { name: 'linear' }).click()
    expect(await chart().getByRole('alert').count()).toBe(0)
  })

  it('is read by a cursor that shows its place in the view', async () => {
    const box = (await chart().locator('canvas').boundingBox())!
    await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2)
    await expect.poll(() => chart().getByRole('status', { name: 'Values at the cursor' }).textContent()).toMatch(/at [\d.]+ m.*[\d.]+ K/)
    await expect.poll(() => page.getByRole('img', { name: 'Cursor of the chart' }).locator('circle').count()).toBe(3)
  })

  it('is saved as SVG with text, as PDF, as pixels of a size, and as numbers with units and origin', async () => {
    const svg = (await saved('svg')).toString()
    expect(svg).toMatch(/width="85mm" height="60mm"/)
    const texts = [...svg.matchAll(/<text[^>]*>([^<]*)/g)].map(([, text]) => text)
    for (const text of ['r / m', 'ref', 'reference', 'T, K']) expect(texts).toContain(text)
    // every curve is a path of two hundred points
    expect([...svg.matchAll(/ d="([^"]*)"/g)].filter(([, d]) => d!.split('L').length > 190)).toHaveLength(3)
    const pdf = (await saved('pdf')).toString('latin1')
    expect(pdf).toMatch(/^%PDF-1/)
    expect(pdf).toContain('/FontFile2')
    const png = await saved('png')
    expect([png.readUInt32BE(16), png.readUInt32BE(20)]).toEqual([Math.floor((321 * 600) / 96), Math.floor((227 * 600) / 96)])
    const { columns } = readTable((await saved('csv')).toString(), 'chart.csv')
    expect(columns.map(({ unit }) => unit)).toEqual(['m', null, null, 'K'])
    const book = new ExcelJS.Workbook()
    await book.xlsx.load((await saved('xlsx')).buffer as ArrayBuffer)
    const sheet = book.getWorksheet('Curves')!
    expect(sheet.rowCount).toBe(202)
    expect(sheet.getRow(2).getCell(1).value).toBe('m')
    columns.forEach(({ values }, c) => expect(sheet.getRow(52).getCell(c + 1).value).toBe(values[49]))
    expect(book.getWorksheet('Origin')!.getColumn(1).values.join()).toMatch(/Case: 40 L\/s,Plot 1: Plot U against length along Line 1/)
  })

  it('curves are worked out from others and stand in a chart of their own', async () => {
    await page.keyboard.press('Escape')
    await say('work out the difference of Plot 1, Plot 1 copy', /^Work out/)
    await expect.poll(() => selected().textContent()).toMatch(/the difference of Plot 1, Plot 1 copy/)
    await say('histogram T Water', /^Histogram/)
    await say('scatter p against T Water', /^Scatter/)
    for (const name of ['Work 1', 'Histogram 1', 'Scatter 1']) await page.getByRole('img', { name: new RegExp(`^${name}: `) }).waitFor()
    expect(await page.getByRole('alert').count()).toBe(0)
  })

  it('gives its look to charts of other studies, and takes back what was removed', async () => {
    await say('Open the chart Plot 1', /^Open the chart Plot 1/)
    await fill('Type size in points', '14')
    await fill('Keep this look as', 'House style')
    await chart().getByRole('button', { name: 'Remove the look House style' }).click()
    await page.getByRole('button', { name: 'Put it back' }).click()
    await chart().getByRole('button', { name: 'Put the look House style onto the chart' }).waitFor()
    await begin('60 L/s')
    await say('plot T along line', /^Plot along/)
    await say('Open the chart Plot 1', /^Open the chart Plot 1/)
    expect(await chart().getByLabel('Type size in points').inputValue()).toBe('')
    await chart().getByRole('button', { name: 'Put the look House style onto the chart' }).click()
    await expect.poll(() => chart().getByLabel('Type size in points').inputValue()).toBe('14')
    // its range is that of its own values
    expect(await chart().getByRole('button', { name: 'Range of the left axis' }).textContent()).toBe('automatic range')
  })

  it('stands apart as small charts with one axis, a case each, which are saved together', async () => {
    await begin('40 L/s', '60 L/s', '80 L/s')
    await say('plot T along line', /^Plot along/)
    await selected().getByRole('button', { name: 'Taken over' }).click()
    await page.getByRole('option', { name: /every case/ }).click()
    await page.keyboard.press('Escape')
    await page.getByRole('img', { name: /^Plot 1: T against length/ }).waitFor()
    await say('Open the chart Plot 1', /^Open the chart Plot 1/)
    await chart().getByRole('radio', { name: 'by case' }).click()
    for (const name of ['40 L/s', '60 L/s', '80 L/s'])
      await chart()
        .getByRole('img', { name: `Chart ${name}` })
        .waitFor()
    await chart().getByRole('textbox', { name: 'Title of the chart' }).fill('Cooling \\Delta T')
    await page.keyboard.press('Enter')
    await chart().getByText('Cooling ΔT').waitFor()
    const svg = (await saved('svg')).toString()
    const texts = [...svg.matchAll(/<text[^>]*>([^<]*)/g)].map(([, text]) => text)
    expect(texts.filter((text) => text === 'Cooling ΔT')).toHaveLength(1)
    for (const name of ['40 L/s', '60 L/s', '80 L/s']) expect(texts.filter((text) => text === name)).toHaveLength(1)
    // the axes of all have the same numbers
    const numbers = texts.filter((text) => /^[\d.]+$/.test(text!))
    expect(numbers.length).toBeGreaterThan(12)
    for (const number of numbers) expect(numbers.filter((other) => other === number).length % 3, number).toBe(0)
    // through every sample, also where several are in one column of the screen
    expect([...svg.matchAll(/ d="([^"]*)"/g)].filter(([, d]) => d!.split('L').length > 190)).toHaveLength(3)
  })
})
