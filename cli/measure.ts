/**
 * `stavik measure FILE 'EXPR'… [--keep 'CONDITION'] [--time T | --moment I | --over times|moments] [--region R] [--json | --csv]`: numbers
 * from a result file.
 */
import { DataError, UserError, FormulaError } from '../core/errors'
import type { Catalogue } from '../core/case/catalogue'
import type { CaseData } from '../core/case/CaseData'
import { MemoryRows, runJob } from '../core/evaluate/jobs'
import type { JobRow } from '../core/evaluate/jobs'
import { keptCase, wholeCase } from '../core/evaluate/keptCase'
import { hasElsewhere } from '../core/fields/formula/elsewhere'
import { writeCsv } from '../core/formats/write/csv'
import { measureExpression } from '../core/measure/reductions'
import { namesIn, parseFormula } from '../core/fields/formula/parse'
import { highestParts } from '../core/fields/formula/scope'
import { allMoments } from '../server/cases/allMoments'
import { readArguments, table } from './arguments'
import type { Options } from './arguments'
import { chooseMoment } from './chooseMoment'
import { atMoments, withCase } from './openCase'

const USAGE =
  "./stavik measure FILE 'EXPR'… [--keep 'CONDITION'] [--time T | --moment I | --over times|moments] [--region R] [--json | --csv]"

interface Result {
  expr: string
  value: number | null
  components?: Record<string, number | null>
  of?: 'magnitude'
  unit: string | null
  nonFinite?: number
}

/** What was found at one moment, or why nothing was. */
interface Found {
  moment: number
  time: number | null
  results: Result[]
  failure: string | null
}

export async function measureFile(args: string[]): Promise<void> {
  const kinds = { time: 'value', moment: 'value', over: 'value', region: 'value', keep: 'value', json: 'flag', csv: 'flag' } as const
  const options = readArguments(args, kinds, USAGE)
  const [path, ...expressions] = options.positional
  if (!path || !expressions.length) throw new UserError('usage', `Name a file and at least one expression: ${USAGE}.`)
  const kept = options.value('keep')
  const fields = new Set([...expressions, ...(kept === undefined ? [] : [kept])].flatMap((text) => [...parsed(text)]))
  const isOver = options.value('over') !== undefined
  const found = await withCase(path, async (opened): Promise<Found[]> => {
    const { moments } = opened.catalogue
    const at = atMoments(opened, fields)
    const looksElsewhere = [...expressions, ...(kept === undefined ? [] : [kept])].some((text) =>
      hasElsewhere(pointed(text, () => parseFormula(text))),
    )
    const all = looksElsewhere ? await allMoments(opened, fields) : []
    const wanted = momentsOf(opened.catalogue, options)
    const measured = (moment: number): Promise<Result[]> =>
      at(moment, (data) => measuredAt((other) => (other === moment ? data : all[other]!), moment, expressions, options))
    if (!isOver) return [{ moment: wanted[0]!, time: moments[wanted[0]!]!.value, results: await measured(wanted[0]!), failure: null }]
    return (await rowsOver(wanted, measured)).map(({ frame, value, failure }) => {
      const moment = wanted[frame]!
      return { moment, time: moments[moment]!.value, results: (value ?? []) as Result[], failure }
    })
  })
  const failed = found.filter(({ failure }) => failure !== null)
  if (failed.length === found.length) throw new UserError('failed', failed[0]!.failure!)
  for (const { moment, failure } of failed) process.stderr.write(`stavik: moment ${moment}: ${failure}\n`)
  process.stdout.write(written(found, expressions, options, isOver))
}

/** One row a moment, kept in memory. */
async function rowsOver(moments: readonly number[], measured: (moment: number) => Promise<Result[]>): Promise<JobRow[]> {
  const rows = new MemoryRows()
  const frame = (i: number) => ({ key: `moment ${moments[i]}`, ask: () => measured(moments[i]!) })
  // one at a time: the data of one moment takes the place of that of the last
  await runJob({ total: moments.length, atOnce: 1, frame, onRows: () => undefined, signal: new AbortController().signal }, rows)
  return rows.rows
}

function momentsOf(catalogue: Catalogue, options: Options): number[] {
  const over = options.value('over')
  if (over === undefined) return [chooseMoment(catalogue, options.value('time'), options.value('moment'))]
  if (over !== 'times' && over !== 'moments') throw new UserError('usage', `--over takes times or moments, not “${over}”.`)
  if (options.value('time') !== undefined || options.value('moment') !== undefined)
    throw new UserError('usage', 'Take one moment or --over all of them, not both.')
  if (over === 'times' && catalogue.moments.some(({ value }) => value === null))
    throw new UserError('no-times', 'The file has no times; write --over moments.')
  return catalogue.moments.map(({ index }) => index)
}

function measuredAt(at: (moment: number) => CaseData, moment: number, expressions: readonly string[], options: Options): Result[] {
  const kept = options.value('keep')
  const measurable = kept === undefined ? wholeCase(at, moment) : pointed(kept, () => keptCase(at, moment, kept))
  const parts = defaultParts(at(moment).catalogue, options.value('region'))
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
}

function written(found: readonly Found[], expressions: readonly string[], options: Options, isOver: boolean): string {
  if (options.has('csv')) return csv(found, expressions)
  const [first] = found as [Found]
  if (options.has('json')) {
    const rows = found.map(({ moment, time, results, failure }) => ({
      moment,
      time,
      results,
      ...(failure !== null && { failure }),
    }))
    return `${JSON.stringify(isOver ? rows : first.results)}\n`
  }
  if (!isOver) return `${table(first.results.map(row))}\n`
  const head = ['moment', 'time', ...expressions.map((expr) => `${expr} [${unitAmong(found, expr) ?? 'unit unknown'}]`)]
  const lines = found.map(({ moment, time, results }) => [
    `${moment}`,
    `${time ?? ''}`,
    ...expressions.map((_, i) => `${results[i]?.value ?? 'not a number'}`),
  ])
  return `${table([head, ...lines])}\n`
}

function row(r: Result): string[] {
  const parts = r.components && Object.values(r.components).map((x) => x ?? 'not a number')
  const what = parts ? `magnitude of (${parts.join(', ')})` : r.of ? 'of the magnitude' : ''
  const left = r.nonFinite ? `${r.nonFinite} not finite left out` : ''
  return [r.expr, '=', `${r.value ?? 'not a number'}`, r.unit === null ? '(unit unknown)' : r.unit, [what, left].filter(Boolean).join('; ')]
}

function csv(found: readonly Found[], expressions: readonly string[]): string {
  const times = found.map(({ time }) => time ?? NaN)
  return writeCsv([
    { name: 'moment', unit: null, values: found.map(({ moment }) => moment) },
    ...(times.some(Number.isFinite) ? [{ name: 'time', unit: null, values: times }] : []),
    ...expressions.map((expr, i) => ({
      name: expr,
      unit: unitAmong(found, expr),
      values: found.map(({ results }) => results[i]?.value ?? NaN),
    })),
  ])
}

function unitAmong(found: readonly Found[], expr: string): string | null {
  return found.flatMap(({ results }) => results).find((r) => r.expr === expr)?.unit ?? null
}

function finite(x: number): number | null {
  return Number.isFinite(x) ? x : null
}

function parsed(text: string): Set<string> {
  return pointed(text, () => namesIn(parseFormula(text)))
}

/** Characters that are shown of a long expression, before and behind what is wrong. */
const EXCERPT = 60

/** Adds the offending piece of the expression to a formula's error. */
function pointed<T>(text: string, run: () => T): T {
  try {
    return run()
  } catch (error) {
    if (!(error instanceof FormulaError) || !error.range) throw error
    const [start] = error.range
    const from = Math.max(0, start - EXCERPT)
    const piece = text.slice(from, start + EXCERPT)
    const shown = `${from > 0 ? '…' : ''}${piece}${from + piece.length < text.length ? '…' : ''}`
    throw new UserError(error.code, `in “${shown}” at character ${start + 1}: ${error.message}`)
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
  return highestParts(catalogue).map((part) => part.name)
}
