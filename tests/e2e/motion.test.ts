import { execFile } from 'node:child_process'
import { mkdtemp, readFile, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { unzipSync } from 'fflate'
import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { launch, openPage } from '../support/browser'
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

const { settled, say, selected, byId, select, begin } = workbenchOf(() => page, url)
const words = async (): Promise<string> => (await selected().textContent()) ?? ''

async function choose(token: RegExp, option: RegExp): Promise<void> {
  await selected().getByRole('button', { name: token }).click()
  await page.getByRole('option', { name: option }).click()
  await settled()
}

/** Rows of the table of what is selected, by cells. */
async function table(): Promise<string[][]> {
  const all = selected().getByRole('button', { name: /^all \d+$/ })
  if (await all.count()) await all.click()
  const rows = await selected().locator('tbody tr').all()
  return Promise.all(rows.map(async (row) => (await row.locator('td').allTextContents()).map((text) => text.trim())))
}

async function typeInto(token: RegExp, text: string, on: Pick<Page, 'getByRole'> = page): Promise<void> {
  await on.getByRole('button', { name: token }).click()
  await page.keyboard.press('Control+a')
  await page.keyboard.type(text)
  await page.keyboard.press('Enter')
}

/** Pixels that are not white in the left three fifths of a picture and in the rest. */
function darkIn(png: Uint8Array): Promise<[number, number]> {
  return page.evaluate(async (base64) => {
    const image = await createImageBitmap(await (await fetch(`data:image/png;base64,${base64}`)).blob())
    const context = new OffscreenCanvas(image.width, image.height).getContext('2d')!
    context.drawImage(image, 0, 0)
    const at = Math.round(0.62 * image.width)
    const counted = (x: number, width: number): number =>
      context.getImageData(x, 0, width, image.height).data.reduce((n, value, i) => n + Number(i % 4 === 0 && value < 240), 0)
    return [counted(0, at), counted(at, image.width - at)]
  }, Buffer.from(png).toString('base64'))
}

describe('what moves with the water', () => {
  it('streaks are made with all that they need, and drawn at each moment', async () => {
    await begin('40 L/s, wandering')
    await say('streaks', /^Streaks/)
    // the line, what is let go along it, and the streaks: the paths themselves are hidden
    await expect.poll(() => page.locator('[data-step]').allTextContents()).toHaveLength(5)
    await expect.poll(words).toMatch(/as\s*streaks/)
    await expect.poll(words, { timeout: 60_000 }).toMatch(/[\d,]+ of [\d,]+ paths are under way/)
    const last = /([\d,]+) of/.exec(await words())![1]!
    await page.getByRole('button', { name: 'First moment', exact: true }).click()
    await page.getByRole('button', { name: 'Next moment' }).click()
    await settled()
    await expect
      .poll(async () => Number(/([\d,]+) of/.exec(await words())![1]!.replace(',', '')))
      .toBeLessThan(Number(last.replace(',', '')))
    await choose(/^form/, /^points/)
    await expect.poll(words).toMatch(/as\s*points/)
    expect(await selected().getByRole('alert').count()).toBe(0)
  })

  it('paths tell where they end, in numbers that add up', async () => {
    await select(byId('line'))
    await say('follow', /^Follow/)
    await expect.poll(words, { timeout: 60_000 }).toMatch(/still moving/)
    const drifting = await table()
    expect(drifting.reduce((sum, [, count]) => sum + Number(count), 0)).toBe(40)
    expect(drifting.map(([end]) => end)).toContain('Drain')
    // many take a while: how far they are is said, and what is not wanted any more stops
    await typeInto(/^count: 40/, '6000', selected())
    await expect
      .poll(() => page.locator('[role=status]').allTextContents(), { timeout: 30_000 })
      .toContainEqual(expect.stringMatching(/computing Follow 2 \(\d+ %\)/))
    await page.getByRole('button', { name: 'Undo', exact: true }).click()
    await settled()
    expect(await table()).toEqual(drifting)
    // values of a field are those of one moment, which a path is not
    await choose(/^Colour/, /^T scalar/)
    await expect.poll(() => selected().getByRole('alert').first().textContent()).toMatch(/“T” has no values here.*age on the path/s)
    await choose(/^Colour/, /^speed on the path/)
    await expect.poll(() => selected().getByRole('alert').count()).toBe(0)
  })

  it('spheres with mass sink by their size', async () => {
    await select(byId('line'))
    await say('follow spheres', /^Follow places with spheres/)
    await expect.poll(words, { timeout: 60_000 }).toMatch(/drag of a sphere/)
    const rows = await table()
    const share = (diameter: string, end: string): number =>
      Number(rows.find(([where, size]) => where === end && size === diameter)?.[3] ?? 0)
    expect(rows.reduce((sum, row) => sum + Number(row[4]), 0)).toBeCloseTo(100, 1)
    expect(share('4', 'Floor')).toBeGreaterThan(share('0.5', 'Floor'))
    // what is under way, by the volume of the cells that it is in
    await say('concentration', /^Concentration/)
    await expect.poll(words, { timeout: 60_000 }).toMatch(/places lie in [\d,]+ cells, at most [\d.\s]+ per m³/)
    expect(await selected().getByRole('alert').count()).toBe(0)
  })
})

describe('lines through the sides of a sector', () => {
  it('are told in the data check how they fit', async () => {
    await page.goto(url)
    await page.getByRole('link', { name: '40 L/s, 60° sector', exact: true }).click()
    await page.getByText('Periodic 1 and Periodic 2 are periodic: 60° about z').waitFor()
  })

  it('go on in the copies that are not there', async () => {
    await begin('40 L/s, 60° sector')
    await say('line 0.5 2 1.2 to 0 3.5 1.2', /^Line/)
    await say('streamlines', /^Trace streamlines/)
    await expect.poll(words, { timeout: 60_000 }).toMatch(/crossings of periodic sides \(Periodic 1 and Periodic 2, 60° about z\)/)
    expect((await table()).reduce((sum, [, count]) => sum + Number(count), 0)).toBe(24)
  })

  it('carry beads, which a film moves on, there and back or round with the view', async () => {
    await say('beads', /^Beads/)
    await expect.poll(words).toMatch(/[\d,]+ beads, [\d.]+ s from one to the next/)
    await page.getByRole('button', { name: 'Save a film' }).click()
    const panel = page.getByRole('form', { name: 'Save a film' })
    await panel.getByLabel('Of', { exact: true }).selectOption({ label: 'Beads 1 shift' })
    await typeInto(/^Pictures of values/, '2')
    await panel.getByRole('button', { name: 'then something else' }).click()
    await typeInto(/^Pictures of the turn/, '2')
    await panel.getByText('4 pictures').waitFor()
    await panel.getByLabel('Size').selectOption({ label: '640 × 360' })
    await panel.getByLabel('Format').selectOption('png')
    const [download] = await Promise.all([
      page.waitForEvent('download', { timeout: 90_000 }),
      panel.getByRole('button', { name: 'Save film' }).click(),
    ])
    const pictures = unzipSync(await readFile(await download.path()))
    expect(Object.keys(pictures)).toEqual([1, 2, 3, 4].map((n) => `picture-0000${n}.png`))
    // no two are alike
    expect(new Set(Object.values(pictures).map((png) => Buffer.from(png).toString('base64'))).size).toBe(4)
    // the study keeps what was chosen: it is made again without a window, with a chart beside it
    await say('plot T', /^Plot/)
    await page.getByRole('button', { name: 'Save a film' }).click()
    await panel.getByLabel('Beside').selectOption({ index: 1 })
    await page.keyboard.press('Escape')
    const folder = await mkdtemp(join(tmpdir(), 'film-'))
    const file = join(folder, 'film.zip')
    await promisify(execFile)('node', ['scripts/film.mjs', '--url', url, page.url().split('/').at(-1)!, file])
    const beside = unzipSync(await readFile(file))
    await rm(folder, { recursive: true })
    expect(Object.keys(beside)).toEqual(Object.keys(pictures))
    const [left, right] = await darkIn(beside['picture-00001.png']!)
    expect(left).toBeGreaterThan(1000)
    expect(right).toBeGreaterThan(1000)
    await select(byId('beads'))
    // what was seen is seen again, and the study is as it was
    await expect.poll(words).toMatch(/moved on by\s*0\ss/)
    expect(problems).toEqual([])
  })
})
