/** `stavik measure FILE 'EXPR'… [--time T | --moment I] [--region R] [--json]`: numbers from a result file. */
import { DataError, UserError, FormulaError } from '../core/errors'
import type { Catalogue } from '../core/case/catalogue'
import { frameDataOf } from '../core/evaluate/local'
import { measureExpression } from '../core/measure/reductions'
import { namesIn, parseFormula } from '../core/fields/formula/parse'
import { readArguments, table } from './arguments'
import { chooseMoment } from './chooseMoment'
import { withData } from './openCase'

const USAGE = "./stavik measure FILE 'EXPR'… [--time T | --moment I] [--region R] [--json]"

export async function measureFile(args: string[]): Promise<void> {
  const options = readArguments(args, { time: 'value', moment: 'value', region: 'value', json: 'flag' }, USAGE)
  const [path, ...expressions] = options.positional
  if (!path || !expressions.length) throw new UserError('usage', `Name a file and at least one expression: ${USAGE}.`)
  const fields = new Set(expressions.flatMap((text) => [...parsed(text)]))
  const choose = (catalogue: Catalogue) => ({ moment: chooseMoment(catalogue, options.value('time'), options.value('moment')), fields })
  const results = await withData(path, choose, (data, moment) => {
    const measurable = frameDataOf(data, moment)
    const parts = defaultParts(data.catalogue, options.value('region'))
    return expressions.map((expr) => {
      const { value, components, of, unit, nonFinite } = pointed(expr, () => measureExpression(expr, measurable, parts))
      const named = components && Object.fromEntries(Object.entries(components).map(([name, x]) => [name, finite(x)]))
      return {
        expr,
        value: finite(value),
        ...(named && { components: named }),
        ...(of && { of }),
        unit,
        ...(nonFinite > 0 && { nonFinite }),
      }
    })
  })
  if (options.has('json')) process.stdout.write(`${JSON.stringify(results)}\n`)
  else {
    const rows = results.map((r) => {
      const what = r.components
        ? `magnitude of (${Object.values(r.components)
            .map((x) => x ?? 'not a number')
            .join(', ')})`
        : r.of
          ? 'of the magnitude'
          : ''
      const left = r.nonFinite ? `${r.nonFinite} not finite left out` : ''
      return [
        r.expr,
        '=',
        `${r.value ?? 'not a number'}`,
        r.unit === null ? '(unit unknown)' : r.unit,
        [what, left].filter(Boolean).join('; '),
      ]
    })
    process.stdout.write(`${table(rows)}\n`)
  }
}

function finite(x: number): number | null {
  return Number.isFinite(x) ? x : null
}

function parsed(text: string): Set<string> {
  return pointed(text, () => namesIn(parseFormula(text)))
}

/** Adds the offending piece of the expression to a formula's error. */
function pointed<T>(text: string, run: () => T): T {
  try {
    return run()
  } catch (error) {
    if (!(error instanceof FormulaError) || !error.range) throw error
    const [start] = error.range
    throw new UserError(error.code, `in “${text}” at character ${start + 1}: ${error.message}`)
  }
}

/** The named part, else all regions, else all surfaces, else all parts. */
function defaultParts(catalogue: Catalogue, region: string | undefined): string[] {
  if (region !== undefined) {
    if (!catalogue.parts.some((p) => p.name === region)) {
      throw new DataError('no-part', `There is no region “${region}”; the file has ${catalogue.parts.map((p) => p.name).join(', ')}.`)
    }
    return [region]
  }
  const highest = Math.max(...catalogue.parts.map((p) => p.dimension))
  return catalogue.parts.filter((p) => p.dimension === highest).map((p) => p.name)
}
