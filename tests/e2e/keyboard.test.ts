import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { launch, openPage } from '../support/browser'
import { paleTexts } from '../support/contrast'
import { settled, takeBackFirstLook } from '../support/workbench'

/** The journey of a first slice, number and curve without a mouse. */
const url = inject('url')
let browser: Browser
let page: Page

beforeAll(async () => {
  browser = await launch()
  page = await openPage(browser)
})
afterAll(() => browser?.close())

const focused = (): Promise<string> =>
  page.evaluate(() => document.activeElement?.getAttribute('aria-label') ?? document.activeElement?.textContent?.trim() ?? '')
const selected = () => page.locator('[data-step][aria-current=true]')
const steps = (): Promise<number> => page.locator('[data-step]').count()

async function tabTo(name: RegExp, key: 'Tab' | 'Shift+Tab' = 'Tab'): Promise<void> {
  for (let i = 0; i < 100; i++) {
    if (name.test(await focused())) return
    await page.keyboard.press(key)
  }
  throw new Error(`no ${name} within a hundred tabs; the last was “${await focused()}”`)
}

/** Takes the first of what is found. */
async function act(text: string): Promise<void> {
  await page.keyboard.press('Control+k')
  await page.keyboard.type(text)
  await expect.poll(() => page.getByRole('option').count()).toBeGreaterThan(0)
  await page.keyboard.press('Enter')
  await page.getByRole('combobox', { name: 'Do or find anything' }).waitFor({ state: 'detached' })
}

async function say(sentence: string): Promise<void> {
  const before = await steps()
  await act(sentence)
  await expect.poll(steps).toBe(before + 1)
  await settled(page)
}

describe('with the keyboard alone', () => {
  it('a study is started from a case', async () => {
    await page.goto(url)
    await page.getByRole('link', { name: '60 L/s', exact: true }).waitFor()
    await tabTo(/^Choose 60 L\/s$/)
    await page.keyboard.press('Space')
    // the button stands above the list
    await tabTo(/^Start a study of 1$/, 'Shift+Tab')
    await page.keyboard.press('Enter')
    await page.locator('[data-step]').first().waitFor()
    await takeBackFirstLook(page)
  })

  it('a formula is written where anything is found; what is wrong with one is said where formulas are', async () => {
    const write = async (text: string): Promise<void> => {
      await page.keyboard.press('Control+k')
      await page.keyboard.type(text)
      await page.getByRole('option', { name: `Formula ${text}` }).waitFor()
      await page.keyboard.press('Enter')
      await page.getByRole('combobox', { name: 'Do or find anything' }).waitFor({ state: 'detached' })
    }
    const list = page.getByRole('region', { name: 'Formulas' })
    await write('swirl = mag(curl(U))')
    await list.getByTitle('Change swirl').waitFor()
    await write('wrong = mag(Q)')
    await expect.poll(() => list.getByRole('alert').textContent()).toContain('There is no field or formula “Q”')
    await expect.poll(focused).toBe('Formula')
    await page.keyboard.press('Escape')
    expect(await list.getByRole('textbox').count()).toBe(0)
  })

  it('a formula is completed as it is typed and shows what it yields, and ready ones are taken', async () => {
    const list = page.getByRole('region', { name: 'Formulas' })
    const begin = async (): Promise<void> => {
      await page.keyboard.press('Control+k')
      await page.keyboard.type('New formula')
      await page.getByRole('option', { name: /^New formula/ }).waitFor()
      await page.keyboard.press('Enter')
    }
    await begin()
    await expect.poll(focused).toBe('Formula')
    await page.keyboard.type('turning = cu')
    await list.getByRole('option', { name: /^curl/ }).waitFor()
    await page.keyboard.press('Tab')
    await page.keyboard.type('U).z')
    await expect.poll(() => list.getByRole('status').textContent()).toMatch(/^−?[\d.]+ s⁻¹ to [\d.]+ s⁻¹$/)
    await page.keyboard.press('Enter')
    await list.getByTitle('Change turning').waitFor()
    await begin()
    await expect.poll(focused).toBe('Formula')
    const first = (await list.getByRole('group', { name: 'Ready formulas' }).getByRole('button').first().getAttribute('title'))!
    await page.keyboard.press('Tab')
    await page.keyboard.press('Enter')
    await list.getByTitle(`Change ${first.split(' = ')[0]}`).waitFor()
  })

  it('a slice is made, moved by keys and by an exact value, and coloured', async () => {
    await say('slice z 1.2 U')
    const place = selected().getByRole('button', { name: /Place of the plane/ })
    await place.focus()
    await page.keyboard.press('Enter')
    await page.keyboard.press('ArrowUp')
    await page.keyboard.press('Enter')
    await expect.poll(async () => parseFloat((await place.textContent())!)).toBeGreaterThan(1.2)
    await place.focus()
    await page.keyboard.press('Enter')
    await page.keyboard.press('Control+a')
    await page.keyboard.type('90 cm')
    await page.keyboard.press('Enter')
    await expect.poll(() => place.textContent()).toMatch(/^0\.9\sm$/)
    await settled(page)
  })

  it('its look is typed: bands, a range, what else is shown; the legend opens from the palette', async () => {
    await act('24 bands')
    await expect
      .poll(() =>
        selected()
          .getByRole('button', { name: /^Number of bands/ })
          .textContent(),
      )
      .toBe('24')
    // a group of radio buttons is gone through by the arrow keys
    const bands = selected().getByRole('radiogroup', { name: 'Bands' })
    const chosen = (): Promise<string | null> => bands.getByRole('radio', { checked: true }).textContent()
    await bands.getByRole('radio', { checked: true }).press('ArrowLeft')
    await expect.poll(async () => (await chosen())?.trim()).toBe('smooth')
    await page.keyboard.press('ArrowRight')
    await expect.poll(async () => (await chosen())?.trim()).toBe('equal')
    await act('range 0 to 400 mm/s')
    await expect
      .poll(() =>
        selected()
          .getByRole('button', { name: /^Largest/ })
          .textContent(),
      )
      .toMatch(/^0\.4\sm\/s$/)
    await act('legend of')
    await expect.poll(() => page.evaluate(() => document.activeElement?.getAttribute('aria-label'))).toBe('Title')
    await page.keyboard.press('Escape')
    await act('show only this')
    await expect.poll(() => page.getByRole('button', { name: /^Show / }).count()).toBeGreaterThan(0)
    await act('show all steps')
    await expect.poll(() => page.getByRole('button', { name: /^Show / }).count()).toBe(0)
    await settled(page)
  })

  it('a word that is no number is said, and nothing changes', async () => {
    const place = selected().getByRole('button', { name: /Place of the plane/ })
    await place.focus()
    await page.keyboard.press('Enter')
    await page.keyboard.press('Control+a')
    await page.keyboard.type('high up')
    await page.keyboard.press('Enter')
    await expect.poll(() => selected().getByRole('alert').count()).toBe(1)
    await page.keyboard.press('Escape')
    await expect.poll(() => place.textContent()).toMatch(/^0\.9\sm$/)
  })

  it('a number and a curve follow from sentences; arrows walk the trail', async () => {
    await say('volume Water')
    await expect.poll(() => page.locator('[data-reading]').first().textContent()).toMatch(/120\.\d+\s*m³/)
    await say('line')
    // what was made has the keyboard; places are typed in any unit of length
    await expect.poll(focused).toMatch(/^Steps/)
    await page.keyboard.press('ArrowRight')
    await page.keyboard.press('Enter')
    await page.keyboard.type('-200 mm, 30 cm, 0.5')
    await page.keyboard.press('Enter')
    await expect.poll(() => selected().getByRole('alert').count()).toBe(0)
    await expect.poll(focused).toBe('start: −0.2, 0.3, 0.005 m')
    await page.keyboard.press('Enter')
    await page.keyboard.type('-200 mm, 30 kg, 0')
    await page.keyboard.press('Enter')
    await expect.poll(() => selected().getByRole('alert').textContent()).toMatch(/“kg” is no unit of length; write it in m/)
    await page.keyboard.press('Control+a')
    await page.keyboard.type('-0.2 0.3 0.5')
    await page.keyboard.press('Enter')
    await expect.poll(focused).toBe('start: −0.2, 0.3, 0.5 m')
    await say('plot T')
    await page.locator('[data-chart]').waitFor()
    const last = await selected().getAttribute('data-step')
    await selected().focus()
    await page.keyboard.press('ArrowUp')
    await expect.poll(() => selected().getAttribute('data-step')).not.toBe(last)
    await page.keyboard.press('ArrowDown')
    await expect.poll(() => selected().getAttribute('data-step')).toBe(last)
  })

  it('a zone is kept, its condition changed, a clip put under it, and its volume taken over values', async () => {
    await say('keep Water where mag(U) < 0.05 m/s')
    await expect.poll(focused).toMatch(/^Steps/)
    await page.keyboard.press('ArrowRight')
    await page.keyboard.press('ArrowRight')
    await expect.poll(focused).toBe('Condition: mag(U) < 0.05 m/s')
    await page.keyboard.press('Enter')
    await expect.poll(focused).toBe('Condition')
    await page.keyboard.press('Control+a')
    await page.keyboard.type('mag(U) < 0.1 m/s')
    await page.keyboard.press('Enter')
    await expect.poll(focused).toBe('Condition: mag(U) < 0.1 m/s')
    await say('volume')
    await say('clip Water x 0')
    await page.keyboard.press('u')
    await expect.poll(() => page.locator('[data-step=keep]').textContent()).toMatch(/Keep\s*Clip 1\s*where/)
    await page.keyboard.press('Delete')
    await expect.poll(() => page.locator('[data-step=keep]').textContent()).toMatch(/Keep\s*Water\s*where/)
    await say('clip Water by sphere radius 1')
    await say('volume')
    for (let i = 0; i < 3; i++) await page.keyboard.press('ArrowRight')
    await expect.poll(focused).toBe('Taken over: this moment')
    await page.keyboard.press('Enter')
    await page.getByRole('option', { name: /radius/ }).waitFor()
    for (let i = 0; i < 10 && !/radius/.test(await focused()); i++) await page.keyboard.press('ArrowDown')
    await page.keyboard.press('Enter')
    await page.keyboard.press('Escape')
    await expect.poll(() => page.getByLabel('Exhibits').textContent()).toMatch(/20 values/)
  })

  it('variables are found or written where one is chosen, and numbers shown in the unit that is said', async () => {
    await say('slice z 0.4 U.x')
    const token = selected().getByRole('button', { name: /^Coloured by/ })
    await expect.poll(() => token.textContent()).toBe('U_x')
    const search = page.getByLabel('Find a variable, or write a formula')
    await token.focus()
    await page.keyboard.press('Enter')
    await expect.poll(focused).toBe('Find a variable, or write a formula')
    await page.keyboard.type('mag(Q)')
    await expect.poll(() => search.locator('xpath=../p').textContent()).toMatch(/no field or formula “Q”/)
    await page.keyboard.press('Control+a')
    await page.keyboard.type('mag(U)^2 / 1 m/s')
    await page.getByRole('option', { name: /new formula, m\/s/ }).waitFor()
    await page.keyboard.press('Enter')
    await expect.poll(() => token.textContent()).toBe('mag(U)^2 / 1 m/s')
    await token.focus()
    await page.keyboard.press('Enter')
    // keys pressed before the list has the keyboard would be lost
    await expect.poll(focused).toBe('Find a variable, or write a formula')
    for (let i = 0; i < 100 && (await focused()) !== 'U.z'; i++) await page.keyboard.press('ArrowDown')
    await expect.poll(focused).toBe('U.z')
    await page.keyboard.press('Enter')
    await expect.poll(() => token.textContent()).toBe('U_z')
    await say('mean T over Water')
    await page.keyboard.press('Control+k')
    await page.keyboard.type('show T in °C')
    await page.getByRole('option', { name: /^Show T in °C/ }).waitFor()
    await page.keyboard.press('Enter')
    await expect.poll(() => selected().locator('p.num').first().textContent()).toMatch(/1\d\.\d+ °C/)
    await page.keyboard.press('Control+z')
  })

  it('sentences say what they did not understand; panels are found like anything else', async () => {
    await page.keyboard.press('Control+k')
    await page.keyboard.type('slice z 40 cm warmth')
    const first = page.getByRole('option').first()
    await expect.poll(() => first.textContent()).toMatch(/^Slice at z = 0\.4 m.*without “warmth”, which is not known here/)
    await page.keyboard.press('Control+a')
    await page.keyboard.type('isosurface T 18 °C')
    await expect.poll(() => first.textContent()).toMatch(/T = 291\.15 K.*make this step/)
    // words of readings before an equals sign are names; a view is turned by exactly what is typed
    await page.keyboard.press('Control+a')
    await page.keyboard.type('spread = 2 * T')
    await expect.poll(() => first.textContent()).toMatch(/^Formula spread = 2 \* T/)
    await page.keyboard.press('Control+a')
    await page.keyboard.type('slice = 2')
    await expect.poll(() => first.textContent()).toMatch(/^Slice/)
    await page.keyboard.press('Control+a')
    await page.keyboard.type('turn -35° about x')
    await expect.poll(() => first.textContent()).toMatch(/^Turn the view by -35° about x/)
    await page.keyboard.press('Control+a')
    await page.keyboard.type('picture')
    await expect.poll(() => first.textContent()).toMatch(/^Take a picture/)
    await page.keyboard.press('Enter')
    await tabTo(/^Save PNG$/)
    await page.keyboard.press('Escape')
    await page.getByRole('button', { name: 'Save PNG' }).waitFor({ state: 'detached' })
  })

  it('whatever is written can be read, hidden steps as well, in light and dark', async () => {
    await page
      .locator('[data-step]')
      .first()
      .click({ position: { x: 20, y: 14 } })
    await act('hide')
    await settled(page)
    for (const colorScheme of ['dark', 'light'] as const) {
      await page.emulateMedia({ colorScheme })
      expect(await paleTexts(page)).toEqual([])
      await page.keyboard.press('Control+k')
      await page.keyboard.type('slice')
      expect(await paleTexts(page)).toEqual([])
      await page.keyboard.press('Escape')
      await page.getByRole('combobox', { name: 'Do or find anything' }).waitFor({ state: 'detached' })
    }
    // a text that cannot be read is found
    await page.evaluate(() => document.querySelector<HTMLElement>('[data-step]')!.style.setProperty('opacity', '0.3'))
    expect(await paleTexts(page)).not.toEqual([])
    await page.evaluate(() => document.querySelector<HTMLElement>('[data-step]')!.style.removeProperty('opacity'))
  })

  it('all of it is undone, step by step, and comes back', async () => {
    const all = await steps()
    for (let i = 0; i < 3; i++) await page.keyboard.press('Control+z')
    await expect.poll(steps).toBeLessThan(all)
    for (let i = 0; i < 3; i++) await page.keyboard.press('Control+Shift+z')
    await expect.poll(steps).toBe(all)
    await settled(page)
  })
})
