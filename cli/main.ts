/** The parts of the executable that compute: `info`, `measure`, `convert`, `bench`, `demo-data`. Started by `./stavik`. */
import { UserError } from '../core/errors'
import { bench } from '../bench/bench'
import { convert } from './convert'
import { demoData } from './demoData'
import { importCase } from './importCase'
import { info } from './info'
import { loadDemo } from './loadDemo'
import { measureFile } from './measure'

const commands: Record<string, (args: string[]) => Promise<void>> = {
  info,
  measure: measureFile,
  convert,
  import: importCase,
  bench,
  'demo-data': demoData,
  'load-demo': loadDemo,
}

async function main(): Promise<void> {
  const [name = '', ...args] = process.argv.slice(2)
  const command = commands[name]
  if (!command) throw new UserError('usage', `There is no command “${name}”; see ./stavik help.`)
  await command(args)
}

main().catch((error: unknown) => {
  const isKnown = error instanceof UserError
  const text = isKnown
    ? error.message
    : `Something went wrong inside stavik (${error instanceof Error ? error.message : String(error)}); please report it.`
  if (!isKnown && process.env['STAVIK_TRACE']) console.error(error)
  process.stderr.write(`stavik: ${text.replaceAll('\n', ' ')}\n`)
  process.exitCode = isKnown ? 1 : 70
})
