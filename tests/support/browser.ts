/** Debian's chromium, driven by playwright-core. */
import { chromium } from 'playwright-core'
import type { Browser } from 'playwright-core'

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
