import { readFileSync } from 'node:fs'
import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { launch, openPage } from '../support/browser'
import { say as saySentence, settled as waitSettled, takeBackFirstLook } from '../support/workbench'

const url = inject('url')
let browser: Browser
let page: Page
const problems: string[] = []

beforeAll(async () => {
  browser = await launch()
  page = await openPage(browser, { width: 1000, height: 700 })
  page.on('pageerror', (error) => problems.push(error.message))
})
afterAll(() => browser?.close())

const settled = (): Promise<void> => waitSettled(page)
const say = (sentence: string, offer: RegExp): Promise<void> => saySentence(page, sentence, offer)
const trail = () => page.getByRole('list')
const selected = () => page.locator('[data-step][aria-current=true]')
const steps = (): Promise<number> => page.locator('[data-step]').count()

describe('from a result file to a picture, a number and a curve', () => {
  it('opens the demo study with the tank', async () => {
    await page.goto(url)
    await page.getByRole('link', { name: /Rearing tank/ }).click()
    await page.locator('[data-step]').first().waitFor()
    // it opens with something worth seeing, which is taken back by one click
    expect(await page.locator('[data-step=middle]').textContent()).toMatch(/Slice\s*Water.*coloured by\s*speed/)
    await takeBackFirstLook(page)
    expect(await steps()).toBe(2)
    expect(await page.evaluate(() => crossOriginIsolated)).toBe(true)
  })

  it('takes a formula, and says where one is wrong', async () => {
    await page.getByRole('button', { name: 'New formula' }).click()
    await page.keyboard.type('speed = mag(U) + T')
    expect(await page.getByRole('alert').textContent()).toMatch(/K cannot be added to m\/s/)
    for (let i = 0; i < 4; i++) await page.keyboard.press('Backspace')
    await page.keyboard.press('Enter')
    await page.getByTitle('Change speed').waitFor()
    expect(await page.getByLabel('Formulas').textContent()).toContain('m/s')
  })

  it('slices by a sentence; the handle moves the plane and the keys nudge it', async () => {
    await say('slice z 1.2 speed', /Slice at z = 1.2 m coloured by speed/)
    await page.getByRole('img', { name: /speed, m\/s, 0 to 0\.\d+, everything/ }).waitFor()
    const place = selected().getByRole('button', { name: /Place of the plane/ })
    expect(await place.textContent()).toMatch(/^1\.2\sm$/)
    const handle = (await page.locator('[data-handle=plane]').boundingBox())!
    await page.mouse.move(handle.x + 12, handle.y + 18)
    await page.mouse.down()
    for (const dy of [-5, -10, -15, -20]) await page.mouse.move(handle.x + 12, handle.y + 18 + dy)
    await page.mouse.up()
    await settled()
    const after = parseFloat((await place.textContent())!)
    expect(after).toBeGreaterThan(1.2)
    // exact values, with another unit
    await place.click()
    await page.keyboard.type('1200 mm')
    await page.keyboard.press('Enter')
    await expect.poll(() => place.textContent()).toMatch(/^1\.2\sm$/)
    await settled()
  })

  it('tilts, and undo brings it back', async () => {
    await page.locator('[data-handle=tilt]').press('ArrowDown')
    await expect.poll(() => selected().textContent()).toMatch(/position/)
    await page.keyboard.press('Control+z')
    await expect
      .poll(() =>
        selected()
          .getByRole('button', { name: /Direction of the plane/ })
          .textContent(),
      )
      .toBe('z')
    await settled()
  })

  it('changes range, bands and map without asking the server', async () => {
    let asked = 0
    const count = (): void => void asked++
    page.on('request', (request) => request.url().includes('/evaluate') && count())
    await selected().getByRole('radio', { name: 'equal', exact: true }).click()
    await selected().getByRole('radio', { name: 'Magma' }).click()
    await selected()
      .getByRole('button', { name: /^Range:/ })
      .click()
    await page.getByRole('option', { name: 'this step' }).click()
    await page.getByRole('img', { name: /this step/ }).waitFor()
    await selected()
      .getByRole('button', { name: /^Largest/ })
      .click()
    await page.keyboard.type('0.3')
    await page.keyboard.press('Enter')
    await page.getByRole('img', { name: /speed, m\/s, 0 to 0\.3, by hand/ }).waitFor()
    expect(asked).toBe(0)
    page.removeAllListeners('request')
  })

  it('traces streamlines from a line whose end is dragged', async () => {
    await say('line', /^Line/)
    const end = (await page.locator('[data-handle=end]').boundingBox())!
    await page.mouse.move(end.x + 8, end.y + 8)
    await page.mouse.down()
    await page.mouse.move(end.x - 12, end.y + 8)
    await page.mouse.move(end.x - 30, end.y + 8)
    await page.mouse.up()
    await settled()
    await say('streamlines', /^Trace streamlines/)
    expect(await selected().textContent()).toMatch(/24\s*streamlines of U in Water from Line 1 placed evenly, downstream/)
    expect(await selected().textContent()).toMatch(/\d+ of 24 \([\d.]+ %\) (ended at|reached the length limit)/)
  })

  it('chains: a surface of a value, cut to lines, on a chart', async () => {
    await say('isosurface speed 0.1', /Surface where speed = 0.1/)
    await say('slice z 0.9', /Slice at z = 0.9/)
    expect(await selected().textContent()).toMatch(/Slice\s*Surface 1\s*at z/)
    await say('plot T', /Plot along T/)
    await selected()
      .getByRole('button', { name: /Input “along”/ })
      .click()
    await page.getByRole('option', { name: /Slice 2/ }).click()
    await settled()
    await page.locator('[data-chart]').waitFor()
    expect(await page.getByLabel('Exhibits').textContent()).toMatch(/Plot 1: T against length along Slice 2/)
  })

  it('measures with units and says how', async () => {
    await say('measure flux', /^Measure flux/)
    await selected()
      .getByRole('button', { name: /Input “of”/ })
      .click()
    const options = page.getByRole('listbox', { name: 'Input “of”' })
    for (const ticked of await options.locator('[aria-selected=true]').all()) await ticked.click()
    await options.getByRole('option', { name: /^Drain/ }).click()
    await page.keyboard.press('Escape')
    await settled()
    const reading = page.locator('[data-reading]').first()
    await expect.poll(() => reading.textContent()).toMatch(/0\.03\d+\s*m³\/s/)
    expect(await reading.getAttribute('title')).toMatch(/positive out of Water/)
  })

  it('another case answers with its own numbers', async () => {
    await page.getByRole('radio', { name: '80 L/s' }).click()
    await settled()
    await expect.poll(() => page.locator('[data-reading]').first().textContent()).toMatch(/0\.07\d+\s*m³\/s/)
    await page.getByRole('radio', { name: /^40 L\/s/ }).click()
    await settled()
  })

  it('takes a picture of stated size in millimetres', async () => {
    await page.getByRole('button', { name: 'Take a picture' }).click()
    await page.getByLabel('Width').fill('80')
    await page.getByLabel('Height').fill('50')
    await page.getByLabel('Resolution').fill('150')
    const [download] = await Promise.all([
      page.waitForEvent('download', { timeout: 120_000 }),
      page.getByRole('button', { name: 'Save PNG' }).click(),
    ])
    const png = readFileSync(await download.path())
    expect([png.readUInt32BE(16), png.readUInt32BE(20)]).toEqual([472, 295])
    expect(download.suggestedFilename()).toBe('Rearing tank.png')
    await page.keyboard.press('Escape')
  })
})

describe('the trail by keyboard', () => {
  it('moves, mutes, duplicates, renames, orders and deletes, each undone in turn', async () => {
    await page
      .locator('[data-step]')
      .nth(2)
      .click({ position: { x: 10, y: 10 } })
    await trail().focus()
    const before = await steps()
    await page.keyboard.press('Control+d')
    await expect.poll(steps).toBe(before + 1)
    await page.keyboard.press('Alt+ArrowUp')
    await page.keyboard.press('m')
    await page.keyboard.press('F2')
    await page.keyboard.type('My cut')
    await page.keyboard.press('Enter')
    await expect.poll(() => selected().textContent()).toContain('My cut')
    await trail().focus()
    await page.keyboard.press('Delete')
    await expect.poll(steps).toBe(before)
    for (let i = 0; i < 5; i++) await page.keyboard.press('Control+z')
    await expect.poll(steps).toBe(before)
    await page.getByRole('button', { name: 'History' }).click()
    await expect.poll(() => page.getByLabel('History', { exact: true }).last().textContent()).toMatch(/Undid: Duplicate/)
    await page.keyboard.press('Escape')
  })

  it('a deleted input is said and mended by choosing another', async () => {
    const line = page.locator('[data-step]').filter({ hasText: 'Line from' })
    await line.click({ position: { x: 10, y: 10 } })
    await trail().focus()
    await page.keyboard.press('Delete')
    const traced = page.locator('[data-step]').filter({ hasText: 'streamlines' })
    await traced.click({ position: { x: 10, y: 10 } })
    await expect.poll(() => traced.getByRole('alert').textContent()).toMatch(/input of this step was deleted; choose another/)
    await page.keyboard.press('Control+z')
    await expect.poll(() => traced.getByRole('alert').count()).toBe(0)
    await settled()
  })

  it('a reload brings everything back', async () => {
    const before = await trail().textContent()
    await page.reload()
    await page.locator('[data-step]').first().waitFor()
    await settled()
    await expect.poll(() => trail().textContent()).toBe(before)
  })

  it('two tabs stay in step', async () => {
    const other = await page.context().newPage()
    await other.goto(page.url())
    await other.getByRole('button', { name: 'Rearing tank' }).click()
    await other.getByLabel('Name of the study').fill('Tank seen twice')
    await other.keyboard.press('Enter')
    await page.getByRole('button', { name: 'Tank seen twice' }).waitFor()
    await other.close()
  })

  it('the library shows a picture of it; nothing went wrong on the way', async () => {
    await page.getByRole('link', { name: /to the library/ }).click()
    await page
      .getByRole('link', { name: /Tank seen twice/ })
      .locator('img')
      .waitFor()
    expect(problems).toEqual([])
  })
})
