import { mkdir, readdir, readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { launch, openPage } from '../support/browser'
import { vtuFile } from '../support/vtkFiles'
import { say, settled, takeBackFirstLook } from '../support/workbench'

const url = inject('url')
const demo = join(inject('data'), 'data', 'demo')
let browser: Browser
let page: Page

beforeAll(async () => {
  browser = await launch()
  page = await openPage(browser, { width: 1000, height: 700 })
})
afterAll(() => browser?.close())

const row = (name: string) => page.locator('main .card > div').filter({ has: page.getByText(name, { exact: true }) })

describe('the library', () => {
  it('shows the demo study with its picture, and its cases with their sizes', async () => {
    await page.goto(url)
    await page
      .getByRole('link', { name: /Morning at the tank/ })
      .locator('img')
      .waitFor()
    expect(await row('40 L/s, wandering').textContent()).toMatch(/13 parts · 24 moments/)
  })

  it('brings a file of the server in and starts a study from it', async () => {
    await page.getByRole('button', { name: 'Bring in' }).click()
    const files = page.getByLabel('Files that can be brought in')
    await expect.poll(() => files.textContent()).toMatch(/tank_0000\.vtm and 23 more, a series/)
    await files.locator('div').filter({ hasText: 'other/arm.vtu' }).last().getByRole('button', { name: 'Bring in' }).click()
    // the keyboard goes on at what was brought in
    await expect.poll(() => page.evaluate(() => document.activeElement?.textContent)).toBe('arm')
    await row('arm').getByRole('button', { name: 'Start a study' }).click()
    await page.locator('[data-step]').first().waitFor()
    await takeBackFirstLook(page)
    expect(await page.getByRole('list').textContent()).toContain('Show region')
    // a tensor is coloured by its norm, in its own unit
    await say(page, 'slice z 1.5 stress', /Slice at z = 1.5 m coloured by stress/)
    await page.getByRole('img', { name: /mag\(stress\), Pa/ }).waitFor()
  })

  it('takes an upload, and says what is wrong with a bad one', async () => {
    await page.goto(url)
    const arm = { mimeType: '', buffer: await readFile(join(demo, 'tank-40', 'tank-arm.vtu')) }
    await page.getByLabel('Upload result files').setInputFiles([{ name: 'sent.vtu', ...arm }])
    await row('sent').getByRole('button', { name: 'Start a study' }).waitFor()
    await page.getByLabel('Upload result files').setInputFiles([{ name: 'half.vtu', mimeType: '', buffer: arm.buffer.subarray(0, 900) }])
    await expect.poll(() => row('half').getByRole('alert').textContent()).toMatch(/cut off/)
    await page.getByRole('button', { name: 'Take half out' }).click()
    await page.getByRole('button', { name: 'Bring it back' }).click()
    await row('half').waitFor()
  })
})

describe('a table without places', () => {
  const rows = 'angle px py pz\n0 -3 -1 0.5\n30 0 -1 1.2\n90 1 0.5 1.2\n'

  it('is told the unit that its rows stand along, and becomes a line across which a region is cut', async () => {
    await page.goto(url)
    await page.getByLabel('Upload result files').setInputFiles([{ name: 'centre.dat', mimeType: '', buffer: Buffer.from(rows) }])
    await row('centre').getByRole('button', { name: 'Start a study' }).waitFor()
    await row('centre').getByRole('link', { name: 'Data check' }).click()
    await page.getByRole('button', { name: 'Unit of angle: unknown' }).click()
    await page.getByRole('button', { name: '°', exact: true }).click()
    await page.getByRole('button', { name: 'Unit of angle: °' }).waitFor()
    await page.getByRole('button', { name: /Places from columns/ }).click()
    await expect.poll(() => page.getByLabel('Column of y').inputValue()).toBe('py')
    await page.getByLabel('Column of y').selectOption('pz')
    await page.getByRole('button', { name: 'Make a line' }).click()
    await page.getByRole('alert').filter({ hasText: 'One column stands for two coordinates' }).waitFor()
    await page.getByLabel('Column of y').selectOption('py')
    await page.getByRole('button', { name: 'Make a line' }).click()
    await page.getByRole('heading', { name: 'centre, line' }).waitFor()
    await page.goto(url)
    await row('40 L/s, wandering').getByRole('button', { name: 'Start a study' }).click()
    await page.locator('[data-step]').first().waitFor()
    await page.getByRole('button', { name: 'Add a case or a table' }).click()
    await page.getByRole('menuitem', { name: /^centre, line/ }).click()
    await page.getByRole('radio', { name: '40 L/s, wandering' }).click()
    await say(page, 'slice Water across curve lines', /^Slice Water/)
    await settled(page)
    const selected = page.locator('[data-step][aria-current=true]')
    expect(await selected.getByRole('alert').count()).toBe(0)
    await say(page, 'size', /^Measure/)
    // from wall to wall
    await expect.poll(() => selected.locator('p.num').first().textContent()).toMatch(/^1\d(\.\d+)?\s*m²/)
  })
})

describe('a further folder', () => {
  const runs = join(inject('data'), 'scratch', 'runs')

  it('is listed, filtered and read where it lies; hundreds of moments are typed, not listed', async () => {
    await mkdir(join(runs, 'long'))
    // one tetrahedron that warms up, as other libraries write it
    for (let t = 0; t < 201; t++) {
      const pointData = [{ name: 'T', type: 'Float32', values: [280 + t, 281 + t, 282 + t, 283 + t] }]
      await writeFile(
        join(runs, 'long', `warm_${t}.vtu`),
        vtuFile(
          { points: [0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1], connectivity: [0, 1, 2, 3], offsets: [4], types: [10], pointData, time: t / 2 },
          { encoding: 'inline zlib' },
        ),
      )
    }
    await page.goto(url)
    await page.getByRole('button', { name: 'Bring in' }).click()
    const files = page.getByLabel('Files that can be brought in')
    // written last, so it comes first
    await expect.poll(() => files.locator('.num').first().textContent()).toBe('runs/long/warm_0.vtu and 200 more, a series')
    await files.getByLabel('Show only files with').fill('WARM runs')
    await expect.poll(() => files.getByRole('button', { name: 'Look inside' }).count()).toBe(1)
    await files.getByLabel('Show only files with').fill('nothing of the kind')
    await files.getByText('has “nothing of the kind” in its name').waitFor()
    await files.getByLabel('Show only files with').fill('warm')
    await files.getByRole('button', { name: 'Look inside' }).click()
    await files.getByText('201 moments, 0 to 100 s').waitFor()
    await files.getByRole('button', { name: 'Bring in' }).click()
    await row('warm').getByRole('button', { name: 'Start a study' }).click()
    await page.locator('[data-step]').first().waitFor()
    await takeBackFirstLook(page)
    const strip = page.getByLabel('Moments')
    await strip.getByLabel('Last moment played').fill('20.1 s')
    await page.keyboard.press('Enter')
    await expect.poll(() => strip.getByLabel('Last moment played').inputValue()).toBe('20')
    await strip.getByLabel('First moment played').fill('soon')
    await page.keyboard.press('Enter')
    await expect.poll(() => strip.getByLabel('First moment played').inputValue()).toBe('0')
    await strip.getByRole('button', { name: 'Last moment', exact: true }).click()
    await expect.poll(() => strip.textContent()).toMatch(/t = 20 s/)
    // nothing of it was copied
    const sent = await readdir(join(inject('data'), 'uploads'), { recursive: true })
    expect(sent.filter((name) => name.includes('warm'))).toEqual([])
  })
})

describe('a case of several times', () => {
  it('steps through them; the slice is mapped anew, not cut', async () => {
    await page.goto(url)
    await row('40 L/s, wandering').getByRole('button', { name: 'Start a study' }).click()
    await page.locator('[data-step]').first().waitFor()
    await takeBackFirstLook(page)
    await say(page, 'slice z 1.2 U', /Slice at z = 1.2 m coloured by U/)
    await say(page, 'measure mean U', /Measure mean of U/)
    const reading = page.locator('[data-reading]').first()
    const first = await reading.textContent()
    const answers: number[] = []
    page.on('response', (response) => {
      if (!response.url().endsWith('/evaluate') || !response.headers()['content-type']?.includes('octet')) return
      // a request that a newer one has ended has no body
      void response.body().then(
        (body) => void answers.push(body.length),
        () => undefined,
      )
    })
    await page.getByRole('button', { name: 'Previous moment' }).click()
    await settled(page)
    expect(await page.getByLabel('Moments').textContent()).toMatch(/t = 110 s[^]*23 of 24/)
    // on the slice the values alone come, without the shape
    // the body of an answer is there a little after what it changes
    await expect.poll(() => answers.length).toBeGreaterThan(0)
    for (const bytes of answers) expect(bytes).toBeLessThan(60_000)
    await expect.poll(() => reading.textContent()).not.toBe('computing…')
    expect(await reading.textContent()).toMatch(/m\/s/)
    await page.getByRole('button', { name: 'Next moment' }).click()
    await settled(page)
    await expect.poll(() => reading.textContent()).toBe(first)
  })

  it('units are set in the case and change what is shown', async () => {
    await page.getByRole('button', { name: 'Units of this case' }).click()
    await page.locator('#unit-T').fill('furlong')
    await page.locator('#unit-T').press('Enter')
    await expect.poll(() => page.getByLabel('Units', { exact: true }).getByRole('alert').textContent()).toMatch(/“furlong” is not a unit/)
    await page.locator('#unit-T').fill('°C')
    await page.locator('#unit-T').press('Enter')
    await expect.poll(() => page.getByLabel('Units', { exact: true }).getByRole('alert').count()).toBe(0)
    await page.keyboard.press('Escape')
    await say(page, 'slice x 0 T', /Slice at x = 0 m coloured by T/)
    await page.getByRole('img', { name: /^T, °C/ }).waitFor()
  })
})
