/** Colours, legends, views, notes and pictures through the real interface. */
import { readFileSync } from 'node:fs'
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
const legend = () => page.locator('[data-legend]')
const dialog = () => page.getByRole('dialog', { name: /^Legend of/ })

/** Counts requests for results while something is done, once what came before has been asked for: ranges and outliers follow a picture. */
async function requestsOf(work: () => Promise<void>): Promise<number> {
  while (await countedRequests(() => page.waitForTimeout(1000)));
  return countedRequests(work)
}

async function countedRequests(work: () => Promise<void>): Promise<number> {
  let n = 0
  const count = (request: { url(): string }): void => void (n += Number(request.url().endsWith('/api/evaluate')))
  page.on('request', count)
  await work()
  await settled()
  page.off('request', count)
  return n
}

/** Number in a token of the selected step. */
async function put(token: string | RegExp, text: string): Promise<void> {
  await selected().getByRole('button', { name: token }).first().click()
  await page.keyboard.type(text)
  await page.keyboard.press('Enter')
}

describe('colours', () => {
  it('by levels, logarithm, beyond and fading are changed without a request', async () => {
    await begin('40 L/s')
    await say('slice Water z 1 T', /^Slice/)
    const n = await requestsOf(async () => {
      await selected().getByRole('radio', { name: 'by step' }).click()
      await put(/^Step of the bands/, '0.5')
      await selected().getByRole('radio', { name: 'levels' }).click()
      await put(/^Levels/, '283, 284, 286')
      await selected()
        .getByRole('button', { name: /^Scale, beyond/ })
        .click()
      await selected().getByLabel('Below').selectOption('hidden')
      await selected().getByLabel('Above').selectOption('own')
      await selected().getByRole('radio', { name: 'middle' }).click()
      await selected().getByLabel('reversed').check()
      await selected().getByRole('radio', { name: 'logarithmic' }).click()
    })
    expect(n).toBe(0)
    expect(await legend().getByRole('img').getAttribute('aria-label')).toMatch(/T, K, 283 to 286, listed levels/)
  })

  it('are locked to a range wherever the variable is shown, and seen to be', async () => {
    await selected().getByRole('radio', { name: 'smooth' }).click()
    await say('slice Water z 0.5 T', /^Slice/)
    await put(/^Largest/, '290')
    await page
      .getByRole('button', { name: /^Legend of T/ })
      .last()
      .click()
    await dialog().getByText('lock it everywhere').click()
    await settled()
    expect(await legend().count()).toBe(1)
    await expect.poll(() => legend().getByRole('img').getAttribute('aria-label')).toMatch(/to 290, locked/)
    await page.keyboard.press('Escape')
    await select(byId('slice'))
    expect(await selected().textContent()).toMatch(/locked/)
    // a new one has the same colours
    await say('slice Water x 0 T', /^Slice/)
    expect(await selected().textContent()).toMatch(/locked/)
    expect(await legend().count()).toBe(1)
  })
})

describe('a legend', () => {
  it('has a title of its own, lies, is dragged to a corner and stays there', async () => {
    await page.getByRole('button', { name: /^Legend of T/ }).press('Enter')
    await dialog().getByLabel('Title').fill('T_{water}')
    await page.keyboard.press('Tab')
    await dialog().getByLabel('Format of the numbers').selectOption('fixed')
    await dialog().getByRole('radio', { name: 'lying' }).click()
    await page.keyboard.press('Escape')
    await settled()
    await expect.poll(() => legend().getByRole('img').getAttribute('aria-label')).toMatch(/^Twater, K/)
    await page.waitForTimeout(400)
    const box = (await legend().boundingBox())!
    expect(box.width).toBeGreaterThan(box.height)
    const stage = (await page.locator('[data-stage]').boundingBox())!
    await page.mouse.move(box.x + 40, box.y + 10)
    await page.mouse.down()
    await page.mouse.move(stage.x + 300, stage.y + stage.height - 60, { steps: 4 })
    await page.mouse.up()
    await settled()
    const at = (await legend().boundingBox())!
    expect(at.x).toBeLessThan(stage.x + 300)
    await page.reload()
    await page.locator('[data-step]').first().waitFor()
    await settled()
    await expect.poll(async () => Math.round((await legend().boundingBox())!.x)).toBe(Math.round(at.x))
  })
})

describe('views, notes and pictures', () => {
  it('a view is turned exactly, kept, and come back to; a note follows the largest value', async () => {
    await page.getByRole('button', { name: 'Views' }).click()
    await page.getByRole('button', { name: 'front 1' }).click()
    await page.getByRole('button', { name: 'Keep this view' }).click()
    const form = page.getByRole('form', { name: 'Turn' })
    await form.getByLabel('Degrees').fill('35')
    await form.getByRole('button', { name: 'Turn' }).click()
    const azimuth = page.getByRole('button', { name: /^Degrees about z/ })
    await expect.poll(() => azimuth.textContent()).toMatch(/^−35/)
    await page.getByRole('button', { name: 'View 1', exact: true }).click()
    await expect.poll(() => azimuth.textContent()).toMatch(/^0/)
    await page.getByLabel('box with axes').check()
    await page.keyboard.press('Escape')
    await select(byId('slice'))
    await say('note at the largest value', /^Note at the largest value/)
    await expect.poll(() => page.locator('[data-note]').getAttribute('aria-label')).toMatch(/^Note: max 28\d\.\d+ K/)
  })

  it('a picture is cropped to what is drawn, in millimetres at a resolution; JPEG too', async () => {
    await page.getByRole('button', { name: 'Take a picture' }).click()
    const form = page.getByRole('form', { name: 'Take a picture' })
    await form.getByLabel('to what is drawn').check()
    await form.getByLabel('Width').fill('50')
    await form.getByLabel('Resolution').fill('200')
    const [png] = await Promise.all([
      page.waitForEvent('download', { timeout: 60_000 }),
      form.getByRole('button', { name: 'Save PNG' }).click(),
    ])
    const bytes = readFileSync(await png.path())
    const width = bytes.readUInt32BE(16)
    const height = bytes.readUInt32BE(20)
    expect(width).toBe(Math.round((50 / 25.4) * 200))
    // a tank seen from the front is flat
    expect(height).toBeLessThan(width)
    expect(bytes.includes('Title')).toBe(true)
    const [jpeg] = await Promise.all([
      page.waitForEvent('download', { timeout: 60_000 }),
      form.getByRole('button', { name: 'Save JPEG' }).click(),
    ])
    expect(readFileSync(await jpeg.path()).readUInt16BE(0)).toBe(0xffd8)
    expect(problems).toEqual([])
  })
})
