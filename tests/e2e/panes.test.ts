import { mkdir, readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import type { Browser, Locator, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { launch, openPage } from '../support/browser'
import { workbenchOf } from '../support/workbench'

/** Runs beside one another: panes with linked views, one slice in all of them, and what differs. */
let browser: Browser
let page: Page
const url = inject('url')
const { begin, say, selected, settled } = workbenchOf(() => page, url)

const panes = (): Locator => page.locator('[data-pane]')
const pane = (number: number): Locator => page.getByRole('region', { name: `Pane ${number}`, exact: true })
const stage = (number: number): Locator => pane(number).locator('[data-stage]')
const planes = (): Locator => page.locator('[data-handle=plane]')
/** How each pane is looked at, in whole pixels; minus zero is zero. */
const directions = (): Promise<string[]> =>
  page
    .getByRole('img', { name: 'Directions of x, y and z' })
    .evaluateAll((all) =>
      all.map((one) =>
        [...one.querySelectorAll('line')]
          .map((line) => [line.x2, line.y2].map((end) => Math.round(end.baseVal.value) || 0).join())
          .join(' '),
      ),
    )
/** Where the plane is in each pane. */
const heights = (): Promise<(string | null)[]> =>
  planes().evaluateAll((all) => all.map((one) => one.parentElement!.querySelector('span')!.textContent.trim()))

beforeAll(async () => {
  browser = await launch()
  page = await openPage(browser)
})
afterAll(() => browser?.close())

async function openMenu(number: number): Promise<void> {
  await pane(number).getByRole('button', { name: 'Panes' }).click()
}

describe('three runs side by side', () => {
  it('stand in a pane each, with one slice in all of them, in equal colours', async () => {
    await begin('40 L/s', '60 L/s', '80 L/s')
    await say('slice z 1.2 coloured by T', /^Slice at z = 1.2 m/)
    await say('A pane for each case', /^A pane for each case/)
    await expect.poll(() => panes().count()).toBe(3)
    for (const [i, name] of ['40 L/s', '60 L/s', '80 L/s'].entries())
      await pane(i + 1)
        .getByText(name)
        .first()
        .waitFor()
    await expect.poll(() => planes().count()).toBe(3)
    // one legend for all, once all ranges are known
    const legends = page.getByRole('img', { name: /in 1–3$/ })
    await expect.poll(() => legends.count()).toBe(1)
    // its panel is higher than the pane, and still all of it can be reached
    await legends.click()
    await page
      .getByRole('dialog', { name: /^Legend of T/ })
      .getByRole('button', { name: 'Close' })
      .click()
  })

  it('the slice is moved in one pane and moves in all, and undo brings it back', async () => {
    const before = await heights()
    expect(new Set(before).size).toBe(1)
    await pane(2).locator('[data-handle=plane]').focus()
    await page.keyboard.press('ArrowUp')
    await settled()
    await expect.poll(async () => (await heights())[0]).not.toBe(before[0])
    expect(new Set(await heights()).size).toBe(1)
    await stage(1).focus()
    await page.keyboard.press('Control+z')
    await expect.poll(heights).toEqual(before)
  })

  it('views are linked, unlinked and linked again', async () => {
    const all = async (): Promise<number> => new Set(await directions()).size
    const before = await directions()
    await stage(1).focus()
    await page.keyboard.press('ArrowLeft')
    await expect.poll(async () => (await directions())[0]).not.toBe(before[0])
    await expect.poll(all).toBe(1)
    await openMenu(2)
    await page.getByRole('radiogroup', { name: 'View' }).getByRole('radio', { name: 'its own' }).click()
    await page.keyboard.press('Escape')
    await stage(1).focus()
    await page.keyboard.press('ArrowLeft')
    await expect.poll(all).toBe(2)
    await openMenu(2)
    await page.getByRole('radiogroup', { name: 'View' }).getByRole('radio', { name: 'linked' }).click()
    await page.keyboard.press('Escape')
    await expect.poll(all).toBe(1)
  })

  it('a step is hidden in one pane by its square', async () => {
    await selected()
      .getByRole('button', { name: /in pane 3/ })
      .click()
    await expect.poll(() => planes().count()).toBe(2)
    await selected()
      .getByRole('button', { name: /in pane 3/ })
      .click()
    await expect.poll(() => planes().count()).toBe(3)
  })

  it('one fills the stage and gives it back; two change places; one has a name', async () => {
    await pane(3).getByRole('button', { name: 'Fill the stage' }).click()
    await expect.poll(() => panes().count()).toBe(1)
    await page.getByRole('button', { name: 'All panes' }).click()
    await expect.poll(() => panes().count()).toBe(3)
    await say('Swap with pane 1', /^Swap with pane 1/)
    await pane(1).getByText('80 L/s').first().waitFor()
    await openMenu(1)
    await page.getByLabel('Name', { exact: true }).fill('most water')
    await page.keyboard.press('Enter')
    await page.keyboard.press('Escape')
    await pane(1).getByText('most water').waitFor()
  })

  it('a click marks the same place in the other panes', async () => {
    const box = (await stage(1).boundingBox())!
    await stage(1).click({ position: { x: box.width / 2, y: box.height / 2 } })
    await expect.poll(() => page.locator('[data-marked]').count()).toBe(2)
    await page.keyboard.press('Escape')
  })

  it('the base case is seen while a key is held, and beyond a line', async () => {
    await stage(2).focus()
    await page.keyboard.down('b')
    await pane(2).getByText('40 L/s').waitFor()
    await page.keyboard.up('b')
    await pane(2).getByText('40 L/s').waitFor({ state: 'detached' })
    await openMenu(2)
    await page.getByLabel('Swipe over').selectOption({ label: '40 L/s' })
    await page.keyboard.press('Escape')
    await settled()
    const line = pane(2).locator('[data-swipe]')
    const before = (await line.boundingBox())!.x
    await line.focus()
    await page.keyboard.press('ArrowRight')
    await expect.poll(async () => (await line.boundingBox())!.x).toBeGreaterThan(before)
  })
})

describe('what differs', () => {
  it('a step has another value in one case, and says so', async () => {
    await stage(2).focus()
    await selected().getByRole('button', { name: 'More' }).click()
    await page.getByRole('menuitem', { name: 'Own values in 60 L/s' }).click()
    await selected().getByText('own values in 60 L/s').waitFor()
    await pane(2).locator('[data-handle=plane]').focus()
    await page.keyboard.press('ArrowUp')
    await settled()
    const found = await heights()
    expect(found[0]).toBe(found[2])
    expect(found[1]).not.toBe(found[0])
  })

  it('a mean over all cases is a table with the difference to the base', async () => {
    await say('measure mean T', /^Measure mean/)
    await selected().getByRole('button', { name: 'Taken over' }).click()
    await page.getByRole('option', { name: /every case/ }).click()
    await page.keyboard.press('Escape')
    await page.getByRole('columnheader', { name: /less 40 L\/s/ }).waitFor()
    await expect.poll(() => page.locator('[data-over] tbody tr').count()).toBe(3)
  })

  it('one picture holds all panes, each with its name, and their legend once', async () => {
    await page.getByRole('button', { name: 'Take a picture' }).click()
    const form = page.getByRole('form', { name: 'Take a picture' })
    await form.getByLabel('Of', { exact: true }).selectOption({ label: 'all panes' })
    await form.getByLabel('Unit of the size').selectOption('px')
    await form.getByLabel('Resolution').fill('96')
    await form.getByLabel('Width').fill('600')
    await form.getByLabel('Height').fill('400')
    const [download] = await Promise.all([
      page.waitForEvent('download', { timeout: 60_000 }),
      form.getByRole('button', { name: 'Save PNG' }).click(),
    ])
    const base64 = (await readFile(await download.path())).toString('base64')
    const dark = await page.evaluate(async (data) => {
      const image = await createImageBitmap(await (await fetch(`data:image/png;base64,${data}`)).blob())
      const context = new OffscreenCanvas(image.width, image.height).getContext('2d')!
      context.drawImage(image, 0, 0)
      const inBox = (x: number, y: number, width: number, height: number): number =>
        context.getImageData(x, y, width, height).data.reduce((n, value, i) => n + Number(i % 4 === 0 && value < 230), 0)
      // two panes above, one below, the legend in a strip at the right
      return {
        size: [image.width, image.height],
        boxes: [inBox(0, 0, 200, 200), inBox(220, 0, 200, 200), inBox(0, 210, 420, 190), inBox(480, 0, 120, 400)],
      }
    }, base64)
    expect(dark.size).toEqual([600, 400])
    for (const n of dark.boxes) expect(n).toBeGreaterThan(300)
    await page.keyboard.press('Escape')
  })

  it('a reload brings all panes back, and one pane is one again', async () => {
    await page.reload()
    await expect.poll(() => panes().count()).toBe(3)
    await pane(1).getByText('most water').waitFor()
    await say('One pane', /^One pane/)
    await expect.poll(() => panes().count()).toBe(1)
  })
})

describe('sensors of a table', () => {
  it('stand in the view of a simulation at once, in its length unit, with their names or values', async () => {
    const folder = join(inject('data'), 'data', 'named')
    await mkdir(folder, { recursive: true })
    // in the order in which points are kept they would be others
    const rows = ['Lee,1200,1100,600,287.4', 'Middle,300,200,800,286.1', '"Wall, SW",-1200,-1000,600,287']
    await writeFile(join(folder, 'sensors.csv'), ['sensor,x [mm],y [mm],z [mm],T measured [K]', ...rows].join('\n'))
    const answer = await page.request.post(`${url}/api/cases`, {
      headers: { Origin: url },
      data: { name: 'Sensors', folder: 'data', files: ['named/sensors.csv'] },
    })
    expect(answer.ok()).toBe(true)
    await page.goto(url)
    await page.getByLabel('Choose Sensors', { exact: true }).waitFor()
    await begin('60 L/s', 'Sensors')
    await say('show points coloured by T measured', /^Show points/)
    await settled()
    expect(await selected().getByRole('alert').count()).toBe(0)
    const labels = selected().getByRole('radiogroup', { name: 'Labels' })
    await labels.getByRole('radio', { name: 'names' }).click()
    await expect.poll(() => labels.getByRole('radio', { name: 'names' }).getAttribute('aria-checked')).toBe('true')
    await say('measure largest T measured in points', /^Measure largest/)
    await settled()
    expect(await selected().locator('p.num').first().textContent()).toMatch(/287\.4 K/)
  })

  it('and a menu of a token opens whole where its step is one line', async () => {
    await page.locator('[data-step]').first().locator('[data-token]').last().click()
    const choice = page.getByRole('option', { name: 'one colour' })
    const [menu, row] = [await choice.boundingBox(), await page.locator('[data-step]').first().boundingBox()]
    expect(menu!.y).toBeGreaterThan(row!.y + row!.height - 4)
    // what lies there is the menu, not what it is laid over
    const hit = await page.evaluate(
      ([x, y]) => document.elementFromPoint(x!, y!)?.closest('[role=option]')?.textContent ?? '',
      [menu!.x + 20, menu!.y + menu!.height / 2],
    )
    expect(hit).toContain('one colour')
    await page.keyboard.press('Escape')
  })
})

it('the difference to another case is ready to be coloured by; a step beside everything says that it is empty', async () => {
  await begin('40 L/s', '60 L/s')
  await say('slice z 1.2 coloured by T', /^Slice at z = 1.2 m/)
  await say('difference T 60 L/s', /^Colour by T less 60 L s/)
  await expect.poll(() => selected().textContent()).toContain('coloured by T less 60 L s')
  await page.getByRole('img', { name: /^T less 60 L s, K, / }).waitFor()
  await say('slice z 99', /^Slice at z = 99 m/)
  await selected().getByText('Empty: there is nothing of Water at this place').waitFor()
})
