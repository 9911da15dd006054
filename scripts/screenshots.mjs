/** Refreshes docs/screenshots from the demo data, through the real interface. Starts a server of its own. */
import { spawn } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { chromium } from 'playwright-core'

const root = dirname(dirname(fileURLToPath(import.meta.url)))
const shots = join(root, 'docs', 'screenshots')
const data = mkdtempSync(join(tmpdir(), 'stavik-shots-'))
const port = 4600 + (process.pid % 300)
const server = spawn(join(root, 'stavik'), ['demo'], {
  env: { ...process.env, STAVIK_DATA: data, STAVIK_PORT: String(port) },
  stdio: ['ignore', 'pipe', 'inherit'],
})
await new Promise((resolve, reject) => {
  server.stdout.on('data', (text) => String(text).includes('Stavik is at') && resolve())
  server.once('exit', (code) => reject(new Error(`./stavik demo ended with ${code}`)))
})

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
page.setDefaultTimeout(20_000)
// whatever goes wrong, the server is stopped with it
process.on('uncaughtException', (error) => {
  console.error(error.message)
  server.kill('SIGINT')
  server.once('exit', () => process.exit(1))
})

async function settled() {
  await page.waitForTimeout(300)
  await page.waitForFunction(() => !document.querySelector('[role=progressbar]'))
  await page.waitForTimeout(700)
}

async function say(sentence) {
  await page.keyboard.press('Control+k')
  await page.getByRole('combobox', { name: 'Do or find anything' }).fill(sentence)
  await page.waitForTimeout(200)
  await page.keyboard.press('Enter')
  await page.getByRole('combobox', { name: 'Do or find anything' }).waitFor({ state: 'detached' })
  await settled()
}

async function choose(input, option) {
  await page
    .locator('[data-step][aria-current=true]')
    .getByRole('button', { name: `Input “${input}”` })
    .click()
  const list = page.getByRole('listbox', { name: `Input “${input}”` })
  if ((await list.getAttribute('aria-multiselectable')) === 'true')
    for (const ticked of await list.locator('[aria-selected=true]').all()) await ticked.click()
  await list.getByRole('option', { name: option }).click()
  await page.keyboard.press('Escape')
  await settled()
}

/** Edges are smooth once the stage has rested. */
const smooth = () =>
  page.waitForFunction(() => [...document.querySelectorAll('[data-stage]')].every((stage) => stage.dataset.edges !== 'plain'), null, {
    timeout: 60_000,
  })

const keep = async (name) => {
  await page.evaluate(() => (document.activeElement instanceof HTMLElement ? document.activeElement.blur() : undefined))
  await page.mouse.move(640, 5)
  if (await page.locator('[data-stage]').count()) await smooth()
  await page.screenshot({ path: join(shots, `${name}.png`) })
}

/** The first look is taken back where a picture is to show what comes after it. */
const begun = async () => {
  await page.locator('[data-step]').first().waitFor()
  await page.getByRole('button', { name: 'Take it back' }).click()
  await settled()
}

/** The picture of a study in the library, which the demo comes with. */
const keepThumbnail = async (study, name) => {
  const picture = page.getByRole('link', { name: study }).locator('img')
  await picture.waitFor()
  const bytes = await picture.evaluate(async ({ src }) => [...new Uint8Array(await (await fetch(src)).arrayBuffer())])
  writeFileSync(join(root, 'demo', 'thumbnails', `${name}.png`), Uint8Array.from(bytes))
}

/** A new study of cases. */
const beginWith = async (...names) => {
  await page.goto(`http://127.0.0.1:${port}/`)
  for (const name of names) await page.getByLabel(`Choose ${name}`, { exact: true }).check()
  await page.getByRole('button', { name: `Start a study of ${names.length}` }).click()
  await begun()
}

await page.goto(`http://127.0.0.1:${port}/`)
await page.getByRole('link', { name: /Morning at the tank/ }).click()
await page.locator('[data-step]').first().waitFor()
await settled()
await keep('morning')
await page.getByRole('button', { name: /^Legend of Speed/ }).click()
await page.getByRole('dialog').getByText('list them').click()
await page.getByRole('dialog').getByRole('radio', { name: 'lying' }).click()
await settled()
await smooth()
await page.screenshot({ path: join(shots, 'legend.png') })
for (let n = 0; n < 2; n++) await page.getByRole('button', { name: 'Undo' }).click()
await settled()
await page.getByRole('link', { name: /to the library/ }).click()
await page.getByRole('link', { name: /Rearing tank/ }).click()
await page.locator('[data-step]').first().waitFor()
await settled()
await page.getByRole('link', { name: /to the library/ }).click()
await keepThumbnail(/Rearing tank/, 'bare')
await page.getByRole('link', { name: /Rearing tank/ }).click()
await begun()
await page.getByRole('button', { name: 'New formula' }).click()
await page.keyboard.type('speed = mag(U)')
await page.keyboard.press('Enter')
await say('slice z 1.2 speed')
await page
  .locator('[data-step][aria-current=true]')
  .getByRole('button', { name: /^Range:/ })
  .click()
await page.getByRole('option', { name: 'this step' }).click()
await settled()
await keep('workbench-slice')
await say('line')
await say('streamlines')
await page
  .locator('[data-step][aria-current=true]')
  .getByRole('button', { name: /^Coloured by/ })
  .click()
await page.getByRole('option', { name: /^travel-time/ }).click()
await settled()
await say('measure flux')
await choose('of', /^Drain/)
await say('measure mean')
await say('plot speed')
await choose('along', /^Line 1/)
await keep('workbench-streamlines')
await page.getByRole('button', { name: 'Raise the tray' }).click()
await page.waitForTimeout(600)
await keep('exhibits')
await page.getByRole('button', { name: 'Lower the tray' }).click()
await page.keyboard.press('Control+k')
await page.getByRole('combobox', { name: 'Do or find anything' }).fill('slice x 0 T')
await page.waitForTimeout(400)
await page.screenshot({ path: join(shots, 'palette.png') })
await page.keyboard.press('Escape')
await page.getByRole('button', { name: 'New formula' }).click()
await page.keyboard.type('warmer = T - me')
await page.waitForTimeout(500)
await page.screenshot({ path: join(shots, 'formulas.png') })
// the list first, then what is written
await page.keyboard.press('Escape')
await page.keyboard.press('Escape')
await page.getByRole('button', { name: 'Take a picture' }).click()
await page.waitForTimeout(300)
await page.screenshot({ path: join(shots, 'picture.png') })
await page.keyboard.press('Escape')
await page.getByRole('button', { name: 'Cases and bindings' }).click()
await page.waitForTimeout(500)
await page.screenshot({ path: join(shots, 'bindings.png') })
await page.keyboard.press('Escape')
await page.getByRole('link', { name: /to the library/ }).click()
await page.waitForTimeout(500)
await keep('library')
await keepThumbnail(/Morning at the tank/, 'morning')

// what is looked at in the background gives the roles
await page.getByRole('link', { name: '40 L/s, wandering', exact: true }).click()
await page.getByText(/for is a guess by name and flow/).waitFor({ timeout: 120_000 })
await page.getByText(/looking at the values/).waitFor({ state: 'detached', timeout: 120_000 })
await keep('check')
await page.getByRole('button', { name: 'Open in study' }).click()
await page.getByRole('menuitem', { name: 'In a new study' }).click()
await begun()
await say('slice z 1.2 T')
await page.getByRole('button', { name: 'Next moment' }).click()
await settled()
await page.getByRole('button', { name: 'Save a film' }).click()
await page.waitForTimeout(300)
await page.screenshot({ path: join(shots, 'film.png') })
await page.keyboard.press('Escape')
await page
  .getByRole('button', { name: 'Hide Slice 1' })
  .or(page.getByRole('button', { name: 'Hide', exact: true }))
  .first()
  .click()
await say('keep Water where mag(U) < 0.1 m/s and pos.y > 0')
await say('volume')
await page.getByRole('button', { name: /^Taken over/ }).click()
await page.getByRole('option', { name: /every moment/ }).click()
await page.keyboard.press('Escape')
await page.getByText('24 values').waitFor()
await page.waitForTimeout(1000)
await keep('kept-zone')

await beginWith('40 L/s')
await say('slice z 1.2 T')
await say('contour lines of T')
await page.locator('[data-step=slice]').click({ position: { x: 20, y: 14 } })
await say('arrows 500')
await keep('look-inside')

await beginWith('40 L/s')
await say('balance')
await say('slice z 0.5 T')
await say('measure mean T')
await page.getByRole('button', { name: 'Weight by U' }).click()
await settled()
await say('slice z 1.5 T')
await say('measure mean T')
await say('calculate a - b')
await page
  .locator('[data-step][aria-current=true]')
  .getByRole('button', { name: /^Limit/ })
  .click()
await page.keyboard.type('0 to 1 K')
await page.keyboard.press('Enter')
await say('load as moment Arm skin')
await page.locator('[data-step=balance]').click({ position: { x: 20, y: 14 } })
await keep('numbers')

await beginWith('60 L/s')
await say('slice z 1.2 T')
await say('plot U along line')
await say('plot T along Line 1')
await say('Open the chart Plot 1')
await page.getByRole('combobox', { name: 'Add a curve' }).selectOption({ index: 1 })
await settled()
const drawn = await page.getByRole('region', { name: 'Chart Plot 1' }).locator('canvas').boundingBox()
await page.mouse.move(drawn.x + 0.6 * drawn.width, drawn.y + 0.4 * drawn.height)
await page.waitForTimeout(500)
await keep('chart')

await beginWith('40 L/s', '60 L/s', '80 L/s')
await say('slice z 1.2 T')
await page.getByRole('button', { name: 'New formula' }).click()
await page.keyboard.type('gain = T - from("40 L/s", T)')
await page.keyboard.press('Enter')
await say('slice Water z 0.4 gain')
await say('measure mean T over Slice 1')
await page.getByRole('button', { name: /^Taken over/ }).click()
await page.getByRole('option', { name: /every case/ }).click()
await page.keyboard.press('Escape')
await say('A pane for each case')
await page.locator('[data-step=slice]').click({ position: { x: 20, y: 14 } })
await page.waitForTimeout(3000)
await settled()
await keep('panes')

await beginWith('40 L/s, wandering')
await say('streaks')
await page.waitForTimeout(5000)
await settled()
await keep('motion')

await browser.close()
const ended = new Promise((resolve) => server.once('exit', resolve))
server.kill('SIGINT')
await ended
rmSync(data, { recursive: true, force: true })
