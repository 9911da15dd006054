/**
 * From a request that drags a cut to all of its data in the client, for each kind that is dragged: medians of 60 moves.
 *
 *     STAVIK_CELLS=1000000 ./stavik demo        in one terminal
 *     node bench/dragKinds.mjs [http://127.0.0.1:4173 [TEXT]]   in another; only what is typed with TEXT in it
 *
 * Each step is made through the palette, so that its settings are those it begins with; then the browser is closed, since
 * software drawing takes the processor from the server, and the request for its picture is sent again with a setting changed.
 */
import { chromium } from 'playwright-core'

const MOVES = 60
const WARM_UP = 8
const url = process.argv[2] ?? 'http://127.0.0.1:4173'

const only = process.argv[3] ?? ''
/** What is typed, the kind of step it makes, and how a move changes the settings. */
const kinds = [
  ['Slice z 1.2', 'slice', (s, i) => (s.origin[2] = 1 + 0.02 * i)],
  ['Slice by cylinder', 'slice', (s, i) => (s.radius = 0.8 + 0.03 * i)],
  ['Slice by sphere', 'slice', (s, i) => (s.radius = 0.8 + 0.03 * i)],
  ['Slice through three points', 'slice', (s, i) => (s.origin = s.origin?.map((x) => x + 0.01 * i))],
  ['Several slices', 'slice', (s, i) => (s.spacing = 0.1 + 0.005 * i)],
  ['Surface where oxygen', 'isosurface', (s, i) => (s.value *= 1 + 0.003 * (i % 2 ? i : -i))],
  ['Clip', 'clip', (s, i) => (s.origin[0] += 0.01 * i)],
]

const browser = await chromium.launch({
  executablePath: '/usr/bin/chromium',
  args: ['--no-sandbox', '--disable-gpu', '--disable-quic', '--no-first-run', '--disable-sync', '--enable-unsafe-swiftshader'],
})
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
const settled = async () => {
  await page.waitForTimeout(300)
  await page.waitForFunction(() => !document.querySelector('[role=progressbar]'), null, { timeout: 120_000 })
}
let asked = []
page.on('request', (request) => request.url().includes('/api/evaluate') && asked.push(request.postDataJSON()))
const studies = await (await fetch(`${url}/api/studies`)).json()
await page.goto(`${url}/study/${studies.find(({ name }) => name === 'Rearing tank').id}`)
await page.locator('[data-step]').first().waitFor()
await settled()
const found = []
for (const [text, kind, move] of kinds.filter(([text]) => text.includes(only ?? ''))) {
  asked = []
  await page.keyboard.press('Control+k')
  await page.getByRole('combobox').fill(text)
  await page.waitForTimeout(300)
  await page.keyboard.press('Enter')
  await settled()
  const isOfKind = (plan) => (target) => target.want === 'picture' && plan.steps[target.step].kind === kind
  const body = asked.findLast(({ plan, targets }) => targets.some(isOfKind(plan)))
  if (body) found.push({ text, move, plan: body.plan, target: body.targets.find(isOfKind(body.plan)) })
  else console.log(`${text}: no request was seen`)
  await page.keyboard.press('Control+z')
  await settled()
}
await browser.close()
await new Promise((resolve) => setTimeout(resolve, 3000))

/** What a browser has when it has taken the first answer (`core/evaluate/answers.ts`, `chunks.ts`). */
function hadOf(bytes) {
  const jsonAt = (from, length) => JSON.parse(new TextDecoder().decode(new Uint8Array(bytes, from, length)))
  const lengthAt = (from) => new DataView(bytes).getUint32(from, true)
  const { shape, values } = jsonAt(8, lengthAt(0))
  const packet = 8 + lengthAt(0)
  const { chunks } = jsonAt(packet + 8, lengthAt(packet + 4)).meta
  const names = chunks && { haveChunks: chunks.map(({ name = '' }) => name), haveValues: values.map(({ of }) => of) }
  return { have: shape.key, ...names }
}
const median = (list) => list.sort((a, b) => a - b)[list.length >> 1]
for (const { text, move, plan, target } of found) {
  // what the browser has of the picture before
  let had = { have: undefined, haveChunks: undefined, haveValues: undefined }
  const times = []
  let bytes = 0
  const settings = structuredClone(plan.steps[target.step].settings)
  for (let i = -WARM_UP; i < MOVES; i++) {
    plan.steps[target.step].settings = structuredClone(settings)
    move(plan.steps[target.step].settings, i)
    const begun = performance.now()
    const response = await fetch(`${url}/api/evaluate`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json', Origin: url },
      body: JSON.stringify({ client: null, plan, targets: [{ ...target, ...had }] }),
    })
    const answer = await response.arrayBuffer()
    bytes = answer.byteLength
    if (i >= 0) times.push(performance.now() - begun)
    had = hadOf(answer)
  }
  console.log(`${text.padEnd(30)} ${median(times).toFixed(0).padStart(6)} ms ${(bytes / 1024).toFixed(0).padStart(7)} KiB`)
}
