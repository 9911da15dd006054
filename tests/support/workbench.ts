/** What end-to-end tests do on a workbench. */
import type { Locator, Page } from 'playwright-core'
import { expect } from 'vitest'

/** Waits until nothing is computed any more. */
export async function settled(page: Page): Promise<void> {
  await page.waitForFunction(() => !document.querySelector('[role=progressbar]'))
  await page.waitForTimeout(100)
  await page.waitForFunction(() => !document.querySelector('[role=progressbar]'))
}

/** Types a sentence into the palette and takes the first offer. */
export async function say(page: Page, sentence: string, offer: RegExp): Promise<void> {
  await page.keyboard.press('Control+k')
  await page.getByRole('combobox', { name: 'Do or find anything' }).fill(sentence)
  await expect.poll(async () => (await page.getByRole('option').first().textContent()) ?? '').toMatch(offer)
  await page.keyboard.press('Enter')
  await page.getByRole('combobox', { name: 'Do or find anything' }).waitFor({ state: 'detached' })
  await settled(page)
}

/** A study opens with a first look; most tests begin with nothing but the boundaries. */
export async function takeBackFirstLook(page: Page): Promise<void> {
  await page.getByRole('button', { name: 'Take it back' }).click()
  await page.locator('[data-step=middle]').waitFor({ state: 'detached' })
  await settled(page)
}

/** The acts of a test on its page. */
export function workbenchOf(page: () => Page, url: string) {
  const selected = () => page().locator('[data-step][aria-current=true]')
  return {
    settled: (): Promise<void> => settled(page()),
    say: (sentence: string, offer: RegExp): Promise<void> => say(page(), sentence, offer),
    selected,
    /** A step by its id: they are numbered in the order in which they were made. */
    byId: (id: string) => page().locator(`[data-step=${id}]`),
    /** Selects a step at its icon: its tokens would be edited. */
    select: (of: Locator): Promise<void> => of.click({ position: { x: 20, y: 14 } }),

    /** A study of cases, begun from nothing. */
    async begin(...names: string[]): Promise<void> {
      await page().goto(url)
      for (const name of names) await page().getByLabel(`Choose ${name}`, { exact: true }).check()
      await page()
        .getByRole('button', { name: `Start a study of ${names.length}` })
        .click()
      await page().locator('[data-step]').first().waitFor()
      await takeBackFirstLook(page())
    },

    /** The number of the reading that is selected. */
    async reading(): Promise<number> {
      await settled(page())
      const text = await selected().locator('p.num').first().textContent()
      return Number(text!.trim().split(' ')[0]!.replaceAll(',', '').replace('−', '-'))
    },
  }
}
