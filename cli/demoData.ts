/** `demo-data --out DIR [--cells N]`: writes the demo's result files. */
import { UserError } from '../core/errors'
import { generateDemo } from '../demo/generate'
import { readArguments } from './arguments'

const DEFAULT_CELLS = 200_000

export async function demoData(args: string[]): Promise<void> {
  const options = readArguments(args, { out: 'value', cells: 'value' }, 'demo-data --out DIR [--cells N]')
  const folder = options.value('out')
  const cells = Number(options.value('cells') ?? DEFAULT_CELLS)
  if (!folder) throw new UserError('usage', 'Name a folder: demo-data --out DIR [--cells N].')
  if (!(cells >= 1000 && cells <= 1e8)) throw new UserError('usage', '--cells takes a number between 1,000 and 100,000,000.')
  const written = await generateDemo(folder, cells)
  process.stdout.write(`${JSON.stringify(written.map(({ demo, files }) => ({ id: demo.id, title: demo.title, files })))}\n`)
}
