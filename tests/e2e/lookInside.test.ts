/** Cuts upon cuts, arrows, shapes and copies, and acts on several steps, through the real interface. */
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

const { settled, say, selected, byId, select, begin, reading } = workbenchOf(() => page, url)

describe('what is built upon a cut', () => {
  it('is a line of a slice, and streamlines from it; all follow when the first one is moved', async () => {
    await begin('40 L/s')
    await say('slice z 1', /^Slice at z = 1 m/)
    // what is under the resting pointer is read
    const stage = (await page.locator('[data-stage]').boundingBox())!
    await page.mouse.move(stage.x + stage.width / 2, stage.y + stage.height / 2 + 10)
    await expect.poll(() => page.locator('[data-hovered]').textContent()).toMatch(/^Slice 1: [\d.]+ K$/)
    await page.mouse.click(stage.x + stage.width / 2, stage.y + stage.height / 2 + 10)
    await page.getByRole('button', { name: /^Colour what was clicked by/ }).click()
    await page.getByRole('option', { name: /^U vector/ }).click()
    await settled()
    expect(await selected().textContent()).toMatch(/coloured by\s*U/)
    await page.keyboard.press('Escape')
    await select(byId('slice'))
    await say('slice x 1', /^Slice at x = 1 m/)
    expect(await selected().textContent()).toMatch(/Slice\s*Slice 1\s*at\s*x/)
    await say('streamlines', /^Trace streamlines/)
    expect(await selected().textContent()).toMatch(/in\s*Water\s*from\s*Slice 2/)
    expect(await selected().getByRole('alert').count()).toBe(0)
    await select(byId('slice-2'))
    await say('measure size', /^Measure size/)
    const before = await reading()
    await select(byId('slice'))
    await selected()
      .getByRole('button', { name: /Place of the plane/ })
      .click()
    await page.getByRole('textbox', { name: 'Place of the plane' }).fill('0.1')
    await page.keyboard.press('Enter')
    await settled()
    await select(byId('measure'))
    // the tank is as wide at every height, but for the arm
    expect(Math.abs((await reading()) / before - 1)).toBeLessThan(0.2)
    expect(await byId('trace').locator('.bg-brick').count()).toBe(0)
  })

  async function worksAtOnce(sentences: readonly (readonly [string, RegExp])[]): Promise<void> {
    for (const [words, offer] of sentences) {
      await select(byId('slice'))
      await say(words, offer)
      await settled()
      expect(await selected().getByRole('alert').allTextContents(), words).toEqual([])
      expect(await selected().textContent(), words).not.toMatch(/choose…/)
    }
  }

  it('every new step that cuts works the moment it is made', () =>
    worksAtOnce([
      ['arrows', /^Arrows/],
      ['slice by cylinder', /^Slice by cylinder/],
      ['slice by sphere', /^Slice by sphere/],
      ['slice across curve', /^Slice across the curve/],
      ['several slices', /^Several slices/],
    ]))

  it('every new step that copies or draws works the moment it is made', () =>
    worksAtOnce([
      ['copies mirrored', /^Copies mirrored/],
      ['copies turned', /^Copies turned/],
      ['aside', /^Aside/],
      ['intersection', /^Intersection/],
      ['polyline', /^Points/],
      ['circle', /^Circle/],
    ]))

  it('every other new step works the moment it is made', () =>
    worksAtOnce([
      ['deform Arm', /^Deform Arm/],
      ['quiver', /^Arrows/],
      // it has a vector and a tensor only
      ['surface where Arm', /^Surface where/],
    ]))

  it('contour lines have numbers, arrows and displacements are drawn without a request', async () => {
    await select(byId('slice'))
    await say('contour lines of T', /^Surface where T several times/)
    expect(await selected().textContent()).toMatch(/several times:.*with numbers/)
    await select(byId('arrows'))
    let requests = 0
    page.on('request', (request) => void (requests += Number(request.url().endsWith('/api/evaluate'))))
    await selected()
      .getByRole('button', { name: /^scale/ })
      .click()
    await page.keyboard.type('3')
    await page.keyboard.press('Enter')
    await select(byId('deform'))
    await selected()
      .getByRole('button', { name: /^factor/ })
      .click()
    await page.keyboard.type('20')
    await page.keyboard.press('Enter')
    await settled()
    expect(await selected().textContent()).toMatch(/20\s*times over/)
    // as a mode swings, on its own: without a graphics card the arrows and lines besides take long to draw
    await say('only this', /^Show only this/)
    const swing = page.getByRole('button', { name: 'Swing', exact: true })
    const seen = async (): Promise<string> => (await page.locator('canvas').first().screenshot()).toString('base64')
    await swing.click()
    const first = await seen()
    await expect.poll(async () => (await seen()) !== first).toBe(true)
    await swing.click()
    await page.locator('[data-stage][data-edges=smooth]').first().waitFor()
    const still = await seen()
    expect(await seen()).toBe(still)
    expect(requests).toBe(0)
  })
})

describe('pieces', () => {
  it('of a kept zone are told apart in a table, the largest kept, and one at a place', async () => {
    await begin('60 L/s')
    await say('keep Water where T < 283.5 K', /^Keep Water where T < 283.5 K/)
    await say('pieces', /^Pieces/)
    await expect.poll(() => selected().textContent()).toMatch(/\d+ pieces? in all, \d+ kept/)
    const rows = await selected().getByRole('row').count()
    expect(rows).toBeGreaterThan(1)
    await say('volume', /Measure/)
    const all = await reading()
    await select(byId('pieces'))
    await selected()
      .getByRole('button', { name: /^count/ })
      .click()
    await page.keyboard.type('1')
    await page.keyboard.press('Enter')
    await settled()
    expect(await selected().getByRole('row').count()).toBe(2)
    await select(byId('measure'))
    expect(await reading()).toBeLessThanOrEqual(all)
  })
})

describe('acts on several steps', () => {
  const list = () => page.locator('[data-trail]')

  it('a look is carried to others by keys, and undone at once', async () => {
    await begin('40 L/s')
    for (const z of [0.5, 1, 1.5]) {
      await page
        .locator('[data-step]')
        .first()
        .click({ position: { x: 20, y: 14 } })
      await say(`slice Water z ${z} T`, /^Slice/)
    }
    await select(byId('slice'))
    await selected().getByRole('radio', { name: 'equal', exact: true }).click()
    await settled()
    await list().focus()
    await page.keyboard.press('Control+c')
    await page.keyboard.press('Shift+ArrowUp')
    await page.keyboard.press('Shift+ArrowUp')
    await page.keyboard.press('Control+v')
    await settled()
    const banded = async (): Promise<boolean[]> => {
      const found: boolean[] = []
      for (const id of ['slice', 'slice-2', 'slice-3']) {
        await select(byId(id))
        found.push((await selected().getByRole('radio', { name: 'equal', exact: true }).getAttribute('aria-checked')) === 'true')
      }
      return found
    }
    expect(await banded()).toEqual([true, true, true])
    await page.getByRole('button', { name: /^Undo/ }).click()
    await settled()
    expect(await banded()).toEqual([true, false, false])
  })

  it('a step is dragged onto another parent; a tree is copied; steps are found by words', async () => {
    await select(byId('slice'))
    await say('arrows', /^Arrows/)
    await byId('arrows').locator('[draggable=true]').dragTo(byId('slice-3'))
    await settled()
    expect(await byId('arrows').textContent()).toMatch(/on\s*Slice 3/)
    await select(byId('slice-3'))
    await list().focus()
    await page.keyboard.press('Control+Shift+d')
    await settled()
    expect(await page.locator('[data-step]').allTextContents()).toContainEqual(expect.stringMatching(/on\s*Slice 3 copy/))
    for (const n of [1, 2]) {
      await list().focus()
      await page.keyboard.press('Control+Shift+d')
      await settled()
      expect(await page.locator('[data-step]').count()).toBeGreaterThan(7 + n)
    }
    await page.getByLabel('Find a step').fill('arrows')
    expect(await page.locator('[data-step]').count()).toBeLessThan(6)
    await page.getByLabel('Find a step').fill('')
  })
})

/** Hidden copies of a slice, in one edit, until there are so many steps. */
function addCopies(count: number): Promise<void> {
  return page.evaluate(async (n) => {
    const address = `/api/studies/${location.pathname.split('/').pop()}`
    type Got = { document: { steps: Record<string, { name: string; rank: number; isShown: boolean }> }; revision: number }
    const { document: study, revision } = (await (await fetch(address)).json()) as Got
    const missing = n - Object.keys(study.steps).length
    const patches = Array.from({ length: missing }, (_, i) => ({
      op: 'add',
      path: ['steps', `copy-${i}`],
      value: { ...study.steps['slice']!, name: `Copy ${i}`, rank: 100 + i, isShown: false },
    }))
    const inverse = patches.map(({ path }) => ({ op: 'remove', path }))
    const body = JSON.stringify({ base: revision, patches, inverse, title: 'Copies', author: 'another.tab' })
    const answer = await fetch(`${address}/edits`, { method: 'POST', headers: { 'content-type': 'application/json' }, body })
    if (!answer.ok) throw new Error(await answer.text())
  }, count)
}

describe('a long trail', () => {
  const trail = () => page.locator('[data-trail]')
  const alerts = () => selected().getByRole('alert')

  it('takes a clip in before a slice, groups steps, folds them, and colours what a field is dropped on', async () => {
    await begin('40 L/s')
    await say('slice Water z 1 T', /^Slice/)
    await say('arrows', /^Arrows/)
    await select(byId('slice'))
    await trail().focus()
    await page.keyboard.press('i')
    await page.getByPlaceholder('A step before Slice 1').fill('clip')
    await page.keyboard.press('Enter')
    await settled()
    expect(await byId('slice').textContent()).toMatch(/Slice\s*Clip 1/)
    expect(await page.locator('[data-step]').evaluateAll((all) => all.map((step) => step.getAttribute('data-step')))).toEqual(
      expect.arrayContaining(['clip', 'slice', 'arrows']),
    )
    await trail().focus()
    await page.keyboard.press('Shift+ArrowDown')
    await page.keyboard.press('g')
    await page.keyboard.press('Shift+G')
    await expect.poll(() => byId('slice').count()).toBe(0)
    await page.getByRole('button', { name: 'Unfold Group 1' }).click()
    await page.getByRole('button', { name: 'U', exact: true }).dragTo(byId('slice'), { targetPosition: { x: 20, y: 12 } })
    await settled()
    expect(await byId('slice').textContent()).toMatch(/coloured by\s*U/)
    const stage = page.locator('[data-stage]')
    const box = (await stage.boundingBox())!
    await page
      .getByRole('button', { name: 'p', exact: true })
      .dragTo(stage, { targetPosition: { x: box.width / 2 + 60, y: box.height / 2 + 10 } })
    await settled()
    expect(await byId('slice').textContent()).toMatch(/coloured by\s*p/)
  })

  it('keeps a step that lost its meaning, and mends it by one click', async () => {
    await select(byId('slice'))
    await say('flow texture', /^Flow texture/)
    await expect.poll(() => alerts().count()).toBe(0)
    // of a line there is no texture
    await page.getByRole('button', { name: 'New formula' }).click()
    await page.getByLabel('Formula', { exact: true }).fill("hot = T - 280 'K'")
    await page.keyboard.press('Enter')
    await select(byId('slice'))
    await say('surface where hot', /^Surface where hot/)
    await settled()
    await page.getByText('hot', { exact: true }).first().hover()
    await page.getByRole('button', { name: 'Delete hot' }).click()
    await expect.poll(() => alerts().count()).toBe(1)
    await alerts().getByRole('button').click()
    await settled()
    await expect.poll(() => alerts().count()).toBe(0)
  })

  it('of sixty steps does not grow while one is dragged on and on', async () => {
    await select(byId('slice'))
    await trail().focus()
    await addCopies(60)
    await expect.poll(() => page.locator('[data-step]').count(), { timeout: 30_000 }).toBe(60)
    // without graphics hardware drawing takes long
    await page.keyboard.press('o')
    await settled()
    const session = await page.context().newCDPSession(page)
    const heap = async (): Promise<number> => {
      await session.send('HeapProfiler.collectGarbage')
      return (await session.send('Runtime.getHeapUsage')).usedSize
    }
    const drag = async (times: number): Promise<void> => {
      await selected()
        .getByRole('button', { name: /Place of the plane/ })
        .click()
      for (let n = 0; n < times; n++) await page.keyboard.press(n % 2 ? 'ArrowUp' : 'ArrowDown')
      await page.keyboard.press('Enter')
      await settled()
    }
    await drag(12)
    const first = await heap()
    await drag(48)
    expect((await heap()) / first).toBeLessThan(1.3)
    expect(problems).toEqual([])
  })
})
