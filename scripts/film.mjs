/**
 * Makes the film of a study without a window: what was chosen in its film panel, in Debian's browser, by a server that is running.
 *
 *     ./stavik film STUDY FILE [--case NAME] [--view NAME]
 */
import { parseArgs } from 'node:util'
import { chromium } from 'playwright-core'

/** Milliseconds: of films of many moments of large cases. */
const PATIENCE = 24 * 3600 * 1000
const formats = { mp4: 'mp4', webm: 'webm', gif: 'gif', zip: 'png' }

function fail(problem) {
  console.error(`stavik: ${problem}`)
  process.exit(2)
}

const { values, positionals } = parseArgs({
  options: { url: { type: 'string' }, case: { type: 'string' }, view: { type: 'string' } },
  allowPositionals: true,
})
const [name, file] = positionals
if (!name || !file || positionals.length > 2) fail('film takes the name of a study and a file; see ./stavik help')
const format = formats[file.split('.').at(-1).toLowerCase()]
if (!format) fail(`“${file}” ends in none of .${Object.keys(formats).join(' .')}`)

async function asked(path) {
  const response = await fetch(`${values.url}${path}`).catch(() =>
    fail('no server answers; run ./stavik start or demo in another terminal'),
  )
  return response.json()
}

const studies = await asked('/api/studies')
const [found, other] = studies.filter((study) => [study.id, study.name].includes(name))
if (!found) fail(`there is no study “${name}”; there are ${named(studies)}`)
if (other) fail(`several studies are called “${name}”; rename one, or say it by its id, the end of its address`)
const { document: study } = await asked(`/api/studies/${found.id}`)
const query = new URLSearchParams({ film: format })
if (values.case !== undefined) {
  const cases = Object.values(study.cases)
  if (!cases.some((own) => own.name === values.case)) fail(`“${name}” has no case “${values.case}”; it has ${named(cases)}`)
  query.set('case', values.case)
}
if (values.view !== undefined) {
  const views = Object.entries(study.views ?? {})
  const [view] =
    views.find(([, own]) => own.name === values.view) ??
    fail(`“${name}” keeps no view “${values.view}”; it keeps ${named(views.map(([, own]) => own))}`)
  query.set('view', view)
}

function named(list) {
  return list.map((own) => `“${own.name}”`).join(', ') || 'none'
}

const browser = await chromium.launch({
  executablePath: '/usr/bin/chromium',
  args: [
    '--no-sandbox',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-sync',
    '--enable-unsafe-swiftshader',
  ],
})
process.once('SIGINT', () => void browser.close().finally(() => process.exit(130)))
try {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, acceptDownloads: true })
  page.setDefaultTimeout(PATIENCE)
  const made = page.waitForEvent('download').then((download) => download.saveAs(file))
  const failed = page
    .getByRole('form', { name: 'Save a film' })
    .getByRole('alert')
    .waitFor()
    .then(async () => Promise.reject(new Error(await page.getByRole('form', { name: 'Save a film' }).getByRole('alert').textContent())))
  await page.goto(`${values.url}/study/${found.id}?${query}`)
  const telling = setInterval(async () => {
    const said = await page
      .getByRole('form', { name: 'Save a film' })
      .getByRole('status')
      .textContent({ timeout: 900 })
      .catch(() => '')
    if (said) process.stderr.write(`\rstavik: ${said} pictures `)
  }, 1000)
  await Promise.race([made, failed]).finally(() => clearInterval(telling))
  process.stderr.write('\n')
  console.log(file)
} catch (error) {
  await browser.close()
  fail(error.message)
}
await browser.close()
