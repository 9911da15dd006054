/** What end-to-end tests do on a workbench. */
import type { Page } from 'playwright-core'
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
