/**
 * What the stage costs the page at many triangles, apart from the drawing itself, which is left out.
 *
 *     node bench/stage.mjs [TRIANGLES]
 *
 * Script time, by the browser's own clock of tasks: of a change of colours, range, bands, opacity and levels, and of a turn of the view.
 */
import { createServer } from 'node:http'
import { build } from 'esbuild'
import { chromium } from 'playwright-core'

const triangles = Number(process.argv[2] ?? 3_000_000)
const { outputFiles } = await build({ entryPoints: ['tests/support/pages/stage.ts'], bundle: true, write: false, format: 'esm' })
const server = createServer((request, response) => {
  response.setHeader('content-type', request.url === '/stage.js' ? 'text/javascript' : 'text/html')
  response.end(request.url === '/stage.js' ? outputFiles[0].text : '<body><script type="module" src="/stage.js"></script>')
})
await new Promise((resolve) => server.listen(0, '127.0.0.1', resolve))
const browser = await chromium.launch({
  executablePath: '/usr/bin/chromium',
  args: ['--no-sandbox', '--use-gl=angle', '--use-angle=swiftshader', '--enable-unsafe-swiftshader'],
})
const page = await browser.newPage()
await page.goto(`http://127.0.0.1:${server.address().port}/`)
await page.waitForFunction(() => 'bench' in window)
const found = await page.evaluate((n) => globalThis.bench.timeLooks(n), triangles)
for (const [name, ms] of Object.entries(found)) console.log(`${name.padEnd(36)} ${ms.toFixed(1).padStart(8)} ms`)
await browser.close()
server.close()
