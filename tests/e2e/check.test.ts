/** The data check through the real interface: what came in, what is doubtful about it, and how it is settled. */
import { execFile, execFileSync } from 'node:child_process'
import { copyFile, mkdir, readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { launch, openPage } from '../support/browser'
import { say, settled, takeBackFirstLook } from '../support/workbench'

const url = inject('url')
const data = join(inject('data'), 'data')
let browser: Browser
let page: Page
const problems: string[] = []

beforeAll(async () => {
  await mkdir(join(data, 'check'), { recursive: true })
  const rows = Array.from({ length: 50 }, (_, i) => [i * 20, (i % 7) * 10, (i % 3) * 5, 0.1 * i, -0.2, 0.01 * i, 12 + (i % 9)].join(','))
  await writeFile(join(data, 'check', 'sensors.csv'), ['x,y,z,u,v,w,T', ...rows].join('\n'))
  const arm = (m: number): string => join(data, 'demo', 'tank-wandering', `tank_000${m}-arm.vtu`)
  for (const m of [0, 1]) await copyFile(arm(m), join(data, 'check', `growing_${m}.vtu`))
  browser = await launch()
  page = await openPage(browser)
  page.on('pageerror', (error) => problems.push(error.message))
})
afterAll(() => browser?.close())

async function bringIn(file: string): Promise<void> {
  await page.goto(url)
  await page.getByRole('button', { name: 'Bring in' }).click()
  await page
    .getByLabel('Files that can be brought in')
    .locator('div')
    .filter({ hasText: file })
    .last()
    .getByRole('button', { name: 'Bring in' })
    .click()
}

async function openCheck(name: string): Promise<void> {
  await page.goto(url)
  await page.getByRole('link', { name, exact: true }).first().click()
  await page.getByRole('heading', { name: 'Before you start' }).waitFor()
  await page.getByText(/looking at the values/).waitFor({ state: 'detached', timeout: 60_000 })
}

/** A downloaded file under a name that says what it is. */
async function named(path: string, ending: string): Promise<string> {
  await copyFile(path, `${path}${ending}`)
  return `${path}${ending}`
}

const before = () => page.getByRole('region', { name: 'Before you start' })
const fieldRow = (name: string) =>
  page
    .getByRole('region', { name: 'Fields' })
    .locator('tr')
    .filter({ has: page.getByRole('rowheader', { name }) })

describe('the data check', () => {
  it('of the demo: figures that are known exactly, roles that are confirmed, a material that formulas use', async () => {
    const exact = JSON.parse(await readFile(join(data, 'demo', 'tank-40', 'exact.json'), 'utf8')) as {
      volume: { Water: number; Arm: number }
      areas: Record<string, number>
    }
    await openCheck('40 L/s')
    const regions = page.getByRole('region', { name: 'Regions' })
    expect(Number(await regions.locator('tr').filter({ hasText: 'Water' }).locator('td.num').textContent())).toBeCloseTo(
      exact.volume.Water,
      1,
    )
    const surfaces = page.getByRole('region', { name: 'Surfaces' })
    expect(Number(await surfaces.locator('tr').filter({ hasText: 'Floor' }).locator('td.num').textContent())).toBeCloseTo(
      exact.areas['Floor']!,
      1,
    )
    await expect.poll(() => page.getByLabel('Role of Drain, a guess').inputValue(), { timeout: 60_000 }).toBe('outlet')
    expect(await page.getByLabel('Role of Inlet 3, a guess').inputValue()).toBe('inlet')
    expect(await before().textContent()).toMatch(/What flows into Water flows out again/)
    await before().getByRole('button', { name: 'All right as listed' }).click()
    await page.getByLabel('Role of Drain', { exact: true }).waitFor()
    expect(await before().textContent()).not.toMatch(/surfaces are for is a guess/)

    await fieldRow('T').getByRole('button', { name: 'Where the largest T is' }).click()
    expect(await page.getByRole('region', { name: 'Fields' }).getByRole('status').textContent()).toMatch(
      /^Largest of T at \(.*\) m, point \d+ of Water$/,
    )
    await page.getByRole('button', { name: /Material of Arm: not set/ }).click()
    await page.getByRole('button', { name: /^steel/ }).click()
    await page.getByRole('button', { name: /Material of Arm: steel, 7850 kg/ }).waitFor()

    await regions.getByRole('button', { name: 'Export Arm' }).click()
    await regions.getByLabel('stress').uncheck()
    const [download] = await Promise.all([
      page.waitForEvent('download', { timeout: 30_000 }),
      regions.getByRole('button', { name: 'Save' }).click(),
    ])
    expect(download.suggestedFilename()).toBe('Arm.vtu')
    const info = JSON.parse(execFileSync('./stavik', ['info', await named(await download.path(), '.vtu'), '--json']).toString()) as {
      regions: { volume: number }[]
      fields: { name: string }[]
    }
    expect(info.regions[0]!.volume).toBeCloseTo(exact.volume.Arm, 3)
    expect(info.fields.map((f) => f.name)).toEqual(['displacement'])

    await page.getByRole('button', { name: 'Open in study' }).click()
    await page.getByRole('menuitem', { name: 'In a new study' }).click()
    await page.locator('[data-step]').first().waitFor()
    await page.getByRole('button', { name: 'New formula' }).first().click()
    await page.getByRole('textbox', { name: 'Formula' }).fill('weight = density')
    await page.keyboard.press('Enter')
    await settled(page)
    await say(page, 'measure mean weight Arm', /Measure mean.*weight/)
    await expect.poll(() => page.locator('[data-reading]').first().textContent()).toMatch(/7850\s+kg\/m³/)
  })

  it('of a table without units: the length unit beside the box, scalars that are one vector, a guess that is confirmed', async () => {
    await page.goto(url)
    await page.getByRole('button', { name: 'Bring in' }).click()
    const files = page.getByLabel('Files that can be brought in')
    await files.locator('div').filter({ hasText: 'check/sensors.csv' }).last().getByRole('button', { name: 'Look inside' }).click()
    await files.getByRole('columnheader', { name: 'T', exact: true }).waitFor()
    expect(await files.getByText(/^Table, one moment/).textContent()).toBe('Table, one moment')
    await bringIn('check/sensors.csv')
    await openCheck('sensors')
    await expect.poll(() => before().textContent()).toMatch(/The file names no unit of length\. The box is 980 × 60 × 10\./)
    await before().getByRole('button', { name: 'mm', exact: true }).click()
    await expect.poll(() => before().textContent()).not.toMatch(/no unit of length/)
    expect(await before().textContent()).toMatch(/u, v, w look like the components of one vector/)
    await before().getByRole('button', { name: 'Join as velocity' }).click()
    await fieldRow('velocity').getByText('sym').or(fieldRow('velocity').getByText('vector')).waitFor()
    await expect
      .poll(() =>
        fieldRow('velocity')
          .getByRole('button', { name: /Where the largest/ })
          .textContent(),
      )
      .toBe('4.928')
    await expect.poll(() => before().textContent(), { timeout: 30_000 }).toMatch(/12 … 20 fits °C/)
    await before().getByRole('button', { name: 'It is °C' }).click()
    await fieldRow('T').getByRole('button', { name: 'Unit of T: °C', exact: true }).waitFor()
    // several at once
    await page.getByLabel('Choose u', { exact: true }).check()
    await page.getByLabel('Choose v', { exact: true }).check()
    await page.getByRole('button', { name: /^Unit of the chosen fields/ }).click()
    await page.getByRole('textbox', { name: 'Unit of the chosen fields, typed' }).fill('km/h')
    await page.getByRole('button', { name: 'Set', exact: true }).click()
    await fieldRow('u').getByRole('button', { name: 'Unit of u: km/h', exact: true }).waitFor()
    await fieldRow('velocity').getByRole('button', { name: 'undo' }).click()
    await expect.poll(() => before().textContent()).toMatch(/look like the components/)
  })

  it('finds what a run that still goes on has written since', async () => {
    await bringIn('check/growing_0.vtu')
    await openCheck('growing')
    await page.getByRole('button', { name: 'Look again for new times' }).click()
    await page.getByText('There is nothing new.').waitFor()
    await copyFile(join(data, 'demo', 'tank-wandering', 'tank_0002-arm.vtu'), join(data, 'check', 'growing_2.vtu'))
    await page.getByRole('button', { name: 'Look again for new times' }).click()
    await page.getByText('1 new moment has been added.').waitFor()
    await page.getByText('times, 0 – 10 s').waitFor()
    expect(await page.getByLabel('Moment of the figures').locator('option').count()).toBe(3)
  })
})

describe('several cases', () => {
  it('are bound by name and by hand, and what a step yields is exported', async () => {
    await page.goto(url)
    await page.getByLabel('Choose 40 L/s', { exact: true }).check()
    await page.getByLabel('Choose 60 L/s', { exact: true }).check()
    await page.getByRole('button', { name: 'Start a study of 2' }).click()
    await page.locator('[data-step]').first().waitFor()
    await takeBackFirstLook(page)
    await page.getByRole('button', { name: 'Add a case or a table' }).click()
    await page.getByRole('menuitem', { name: /^40 L\/s, wandering/ }).click()
    await page.getByRole('radio', { name: '40 L/s, wandering' }).waitFor()
    await page.getByRole('button', { name: 'Cases and bindings' }).click()
    const table = page.getByLabel('Cases and bindings', { exact: true }).last()
    await expect.poll(() => table.getByLabel('Drain in 40 L/s, wandering').inputValue()).toBe('Drain')
    await table.getByLabel('Drain in 40 L/s, wandering').selectOption('')
    await expect.poll(() => table.getByLabel('Drain in 40 L/s, wandering').inputValue()).toBe('')
    // a case may store a variable in another measure
    await table.getByLabel('Factors, where').check()
    await table.getByLabel('Factor of T in 60 L/s').fill('1.8')
    await table.getByLabel('Factor of T in 60 L/s').press('Tab')
    await expect.poll(() => table.getByLabel('Factors, where').isDisabled()).toBe(true)
    await table.getByLabel('Factor of T in 60 L/s').fill('')
    await table.getByLabel('Factor of T in 60 L/s').press('Tab')
    await table.getByLabel('Factors, where').uncheck()
    await expect.poll(() => table.getByLabel('Factor of T in 60 L/s').count()).toBe(0)
    await table.getByRole('button', { name: 'Take 40 L/s, wandering out of the study' }).click()
    await expect.poll(() => table.getByLabel('Drain in 40 L/s, wandering').count()).toBe(0)
    await page.keyboard.press('Escape')
    await page.getByRole('radio', { name: '60 L/s', exact: true }).click()
    await settled(page)
    await say(page, 'slice z 1.2 U', /Slice at z = 1.2 m/)
    await page.getByRole('button', { name: 'Export', exact: true }).click()
    const form = page.getByRole('form', { name: 'Export' })
    await form.getByLabel('Format').selectOption('csv')
    await form.getByLabel('T', { exact: true }).check()
    const [download] = await Promise.all([
      page.waitForEvent('download', { timeout: 30_000 }),
      form.getByRole('button', { name: 'Save' }).click(),
    ])
    const [head, first] = (await readFile(await download.path(), 'utf8')).split('\n')
    expect(head).toBe('x [m],y [m],z [m],U.x [m/s],U.y [m/s],U.z [m/s],T [K]')
    expect(Number(first!.split(',')[2])).toBeCloseTo(1.2, 12)
    expect(Number(first!.split(',')[6])).toBeGreaterThan(270)
    await page.keyboard.press('Escape')
  })
})

describe('from the command line', () => {
  const run = (...args: string[]): Promise<{ out: string; said: string }> =>
    new Promise((resolve) =>
      execFile(
        './stavik',
        ['import', ...args],
        { env: { ...process.env, STAVIK_DATA: inject('data'), STAVIK_PORT: new URL(url).port } },
        (_, out, said) => resolve({ out, said }),
      ),
    )

  it('brings in what lies in the data folder, and sends what lies elsewhere', async () => {
    const inside = await run(join(data, 'check', 'growing_1.vtu'), '--name', 'inside')
    expect(inside.out).toMatch(/^inside is read: http.*\/case\/[0-9a-f-]{36}\n$/)
    const elsewhere = join(inject('data'), 'elsewhere')
    await mkdir(join(elsewhere, 'blocks'), { recursive: true })
    await copyFile(join(data, 'check', 'growing_1.vtu'), join(elsewhere, 'blocks', 'arm.vtu'))
    await writeFile(
      join(elsewhere, 'blocks.vtm'),
      '<VTKFile type="vtkMultiBlockDataSet"><vtkMultiBlockDataSet><DataSet index="0" name="Beam" file="blocks/arm.vtu"/>' +
        '</vtkMultiBlockDataSet></VTKFile>',
    )
    const sent = await run(join(elsewhere, 'blocks.vtm'))
    expect(sent.out).toMatch(/^blocks is read/)
    await openCheck('blocks')
    expect(await page.getByRole('region', { name: 'Regions' }).textContent()).toContain('Beam')
  })

  it.each([
    ['a file that is not there', () => ['/nowhere/x.vtu'], /no such file or folder/],
    ['nothing', () => [], /Name a result file/],
    ['a file of no kind that is read', () => [join(data, 'demo', 'list.json')], /of no kind that is read/],
  ])('%s is one line', async (_, args, message) => {
    const { out, said } = await run(...args())
    expect(out).toBe('')
    expect(said.trim().split('\n').pop()).toMatch(message)
    expect(said).not.toMatch(/ at .*\.ts/)
  })
})

describe('moments and units', () => {
  it('plays a span to and fro, goes to a typed time, and saves the film', async () => {
    await openCheck('40 L/s, wandering')
    await page.getByRole('button', { name: 'Open in study' }).click()
    await page.getByRole('menuitem', { name: 'In a new study' }).click()
    await page.locator('[data-step]').first().waitFor()
    await takeBackFirstLook(page)
    const strip = page.getByLabel('Moments')
    await strip.getByLabel('Go to the moment nearest to').fill('41')
    await page.keyboard.press('Enter')
    await expect.poll(() => strip.textContent()).toMatch(/t = 40 s/)
    await strip.getByLabel('First moment played').selectOption({ label: '20' })
    await strip.getByLabel('Last moment played').selectOption({ label: '25' })
    await strip.getByRole('button', { name: 'First moment', exact: true }).click()
    await expect.poll(() => strip.textContent()).toMatch(/t = 20 s/)
    await strip.getByRole('button', { name: 'Play round and round' }).click()
    await strip.getByRole('button', { name: 'Play', exact: true }).click()
    const seen = new Set<string>()
    await expect
      .poll(async () => seen.add(/t = \d+ s/.exec((await strip.textContent())!)![0]).size, { timeout: 30_000, interval: 50 })
      .toBe(2)
    expect([...seen].sort()).toEqual(['t = 20 s', 't = 25 s'])
    await strip.getByRole('button', { name: 'Pause' }).click()
    await settled(page)
    await page.getByRole('button', { name: 'Save a film' }).click()
    await page.locator('#film-size').selectOption({ label: '640 × 360' })
    for (const [format, magic] of [
      ['gif', /^GIF89a/],
      ['mp4', /^....ftyp/s],
    ] as const) {
      await page.locator('#film-format').selectOption(format)
      const [download] = await Promise.all([
        page.waitForEvent('download', { timeout: 120_000 }),
        page.getByRole('button', { name: 'Save film' }).click(),
      ])
      const bytes = await readFile(await download.path())
      expect(bytes.toString('latin1')).toMatch(magic)
      // a picture for each of the two moments
      if (format === 'gif') expect(bytes.toString('latin1').split('\x21\xf9\x04').length - 1).toBe(2)
    }
  })

  it('shows and takes numbers in the units of the study', async () => {
    await page.keyboard.press('Escape')
    await say(page, 'slice z 1.2 U', /Slice at z = 1.2 m/)
    await say(page, 'measure mean T', /Measure mean of T/)
    await page.getByRole('button', { name: 'Units of this case' }).click()
    await page.getByLabel('length', { exact: true }).selectOption('mm')
    await page.getByLabel('temperature', { exact: true }).selectOption('°C')
    await page.keyboard.press('Escape')
    await expect.poll(() => page.locator('[data-reading]').first().textContent()).toMatch(/1\d\.\d+\s+°C/)
    const place = page.getByRole('button', { name: /Place of the plane: 1200 mm/ })
    await place.click()
    await page.getByRole('textbox', { name: 'Place of the plane' }).fill('90 cm')
    await page.keyboard.press('Enter')
    await page.getByRole('button', { name: /Place of the plane: 900 mm/ }).waitFor()
    await settled(page)
    await page.keyboard.press('Control+z')
    await place.waitFor()
  })

  it('nothing went wrong on the way', () => expect(problems).toEqual([]))
})
