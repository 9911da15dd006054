/** Debian's chromium, driven by playwright-core. */
import { chromium } from 'playwright-core'
import type { Browser, Page } from 'playwright-core'

export function launch(): Promise<Browser> {
  return chromium.launch({
    executablePath: '/usr/bin/chromium',
    args: [
      '--no-sandbox',
      '--disable-gpu',
      '--disable-quic',
      '--no-first-run',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
      '--enable-unsafe-swiftshader',
    ],
  })
}

/** Milliseconds that a journey waits for what it looks for: machines without graphics hardware are slow. */
const PATIENCE = 60_000

/** A page of its own, as large as a small screen. */
export async function openPage(browser: Browser, viewport = { width: 1280, height: 800 }): Promise<Page> {
  const context = await browser.newContext({ viewport, acceptDownloads: true })
  const page = await context.newPage()
  page.setDefaultTimeout(PATIENCE)
  return page
}
