/** Words and options of a command line: `--name value`, `--flag`, and the rest in order. */
import { parseArgs } from 'node:util'
import { UserError } from '../core/errors'

export interface Options {
  positional: string[]
  value(name: string): string | undefined
  has(name: string): boolean
}

/** Keeps a word with one dash from being taken for options; no file or expression holds it. */
const GUARD = '\u0001'

/** @param kinds  options by name: whether they take a value */
export function readArguments(args: string[], kinds: Record<string, 'value' | 'flag'>, usage: string): Options {
  const options = Object.fromEntries(
    Object.entries(kinds).map(([name, kind]) => [name, { type: kind === 'value' ? ('string' as const) : ('boolean' as const) }]),
  )
  // only words with two dashes are options: `-max(T)` is an expression, `--time -3` a time
  const guarded = args.map((arg) => (/^-[^-]/.test(arg) ? GUARD + arg : arg))
  const plain = (text: string): string => text.replace(GUARD, '')
  try {
    const { values, positionals } = parseArgs({ args: guarded, options, allowPositionals: true, strict: true })
    return {
      positional: positionals.map(plain),
      value: (name) => (typeof values[name] === 'string' ? plain(values[name]) : undefined),
      has: (name) => values[name] === true,
    }
  } catch (error) {
    throw new UserError('usage', `${(error as Error).message.split('.')[0]}; usage: ${usage}.`)
  }
}

/** Rows as columns of equal width; numbers should come formatted. */
export function table(rows: readonly (readonly string[])[]): string {
  const widths: number[] = []
  for (const row of rows) row.forEach((cell, i) => (widths[i] = Math.max(widths[i] ?? 0, cell.length)))
  return rows
    .map((row) =>
      row
        .map((cell, i) => cell.padEnd(widths[i]!))
        .join('  ')
        .trimEnd(),
    )
    .join('\n')
}
