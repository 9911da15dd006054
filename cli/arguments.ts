/** Words and options of a command line: `--name value`, `--flag`, and the rest in order. */
import { parseArgs } from 'node:util'
import { UserError } from '../core/errors'

export interface Options {
  positional: string[]
  value(name: string): string | undefined
  has(name: string): boolean
}

/** @param kinds  options by name: whether they take a value */
export function readArguments(args: string[], kinds: Record<string, 'value' | 'flag'>, usage: string): Options {
  const options = Object.fromEntries(Object.entries(kinds).map(([name, kind]) => [name, { type: kind === 'value' ? ('string' as const) : ('boolean' as const) }]))
  try {
    const { values, positionals } = parseArgs({ args, options, allowPositionals: true, strict: true })
    return {
      positional: positionals,
      value: (name) => values[name] as string | undefined,
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
  return rows.map((row) => row.map((cell, i) => cell.padEnd(widths[i]!)).join('  ').trimEnd()).join('\n')
}
