/** `demo-data --out DIR [--cells N] [--case ID]`: writes the demo's result files, or those of one case. */
import { UserError } from '../core/errors'
import { demoCases, generateDemo } from '../demo/generate'
import { readArguments } from './arguments'

const DEFAULT_CELLS = 200_000

export async function demoData(args: string[]): Promise<void> {
  const options = readArguments(args, { out: 'value', cells: 'value', case: 'value' }, 'demo-data --out DIR [--cells N] [--case ID]')
  const folder = options.value('out')
  const cells = Number(options.value('cells') ?? DEFAULT_CELLS)
  const only = options.value('case')
  if (only !== undefined && !demoCases.some(({ id }) => id === only))
    throw new UserError('usage', `There is no demo case “${only}”; there are ${demoCases.map(({ id }) => id).join(', ')}.`)
  if (!folder) throw new UserError('usage', 'Name a folder: demo-data --out DIR [--cells N].')
  if (!(cells >= 1000 && cells <= 1e8)) throw new UserError('usage', '--cells takes a number between 1,000 and 100,000,000.')
  const written = await generateDemo(folder, cells, only)
  process.stdout.write(
    `${JSON.stringify(written.map(({ demo, files }) => ({ id: demo.id, title: demo.title, isCompared: demo.isCompared, files })))}\n`,
  )
}
