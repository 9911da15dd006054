/**
 * From the move of a slice to the new picture, through the real interface: what is compute, transfer, draw.
 *
 *     STAVIK_CELLS=1000000 ./stavik demo        in one terminal
 *     node bench/drag.mjs [http://127.0.0.1:4173]   in another
 *
 * Prints medians of 30 moves and the server's largest resident memory. Without a graphics card drawing is software and
 * takes the processor from the server: so the same requests are sent once more with the browser closed.
 */
import { execFileSync } from 'node:child_process'
import { readFileSync } from 'node:fs'
import { chromium } from 'playwright-core'

const MOVES = 30
const url = process.argv[2] ?? 'http://127.0.0.1:4173'
const browser = await chromium.launch({
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
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
const settled = async () => {
  await page.waitForTimeout(300)
  await page.waitForFunction(() => !document.querySelector('[role=progressbar]'), null, { timeout: 120_000 })
}

const studies = await (await fetch(`${url}/api/studies`)).json()
const started = Date.now()
await page.goto(`${url}/study/${studies.find(({ name }) => name === 'Rearing tank').id}`)
await page.locator('[data-step]').first().waitFor()
const opened = Date.now() - started
await settled()
await page.keyboard.press('Control+k')
await page.getByRole('combobox').fill('slice z 1.2')
await page.waitForTimeout(300)
await page.keyboard.press('Enter')
await settled()
await page
  .locator('[data-step][aria-current=true]')
  .getByRole('button', { name: /Place of the plane/ })
  .click()
const position = page.locator('[data-step][aria-current=true] input[aria-label="Place of the plane"]')
await position.waitFor()

let asked
/** The last request that wants the slice. */
const sliceRequest = (body) =>
  body.targets.some(({ want, step }) => want === 'picture' && body.plan.steps[step].kind === 'slice') ? body : asked
page.on('request', (request) => request.url().includes('/api/evaluate') && (asked = sliceRequest(request.postDataJSON())))
const rows = []
for (let move = 0; move < MOVES; move++) {
  await page.evaluate(() => performance.clearResourceTimings())
  const begun = await page.evaluate(() => performance.now())
  await position.press('ArrowDown')
  const row = await page.evaluate(async (begun) => {
    const entry = () => performance.getEntriesByType('resource').findLast((e) => e.name.includes('/api/evaluate') && e.responseEnd > begun)
    while (!entry()) await new Promise((resolve) => setTimeout(resolve, 2))
    const { responseEnd, requestStart } = entry()
    await new Promise((resolve) => requestAnimationFrame(() => requestAnimationFrame(resolve)))
    return { wait: requestStart - begun, draw: performance.now() - responseEnd }
  }, begun)
  rows.push(row)
  await settled()
}
await browser.close()
// the browser's threads end after it does, and the worker's loops are compiled anew for their first few requests
await new Promise((resolve) => setTimeout(resolve, 5000))
const WARM_UP = 10

const median = (list) => list.sort((a, b) => a - b)[list.length >> 1]
const show = (name, value, unit = 'ms') => console.log(`${name.padEnd(44)} ${value.toFixed(0).padStart(6)} ${unit}`)
const drawn = (name) => median(rows.map((row) => row[name]))
show('workbench opened', opened)
show('key press to request', drawn('wait'))
show('response to picture, software drawing', drawn('draw'))

const alone = { compute: [], transfer: [], bytes: [] }
// the picture of the slice alone, as a tab asks for it that does not have it yet
const target = asked.targets.find(({ want, step }) => want === 'picture' && asked.plan.steps[step].kind === 'slice')
const { have: _, ...wanted } = target
const settings = asked.plan.steps[target.step].settings
for (let move = -WARM_UP; move < MOVES; move++) {
  settings.origin[2] = 1.1 + 0.027 * move + 0.001
  const begun = performance.now()
  const response = await fetch(`${url}/api/evaluate`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json', Origin: url },
    body: JSON.stringify({ client: null, plan: asked.plan, targets: [wanted] }),
  })
  if (!response.ok) throw new Error(await response.text())
  const reader = response.body.getReader()
  let bytes = 0
  let first
  for (let chunk = await reader.read(); !chunk.done; chunk = await reader.read()) {
    first ??= performance.now()
    bytes += chunk.value.length
  }
  if (move < 0) continue
  alone.compute.push(first - begun)
  alone.transfer.push(performance.now() - first)
  alone.bytes.push(bytes)
}
show('request to first byte, browser closed', median(alone.compute))
show('transfer, browser closed', median(alone.transfer))
show('packet', median(alone.bytes) / 1024, 'KiB')
const pid = execFileSync('pgrep', ['-f', '.output/server/index.mjs']).toString().trim().split('\n')[0]
show('server, largest resident memory', /VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))[1] / 1024, 'MiB')
