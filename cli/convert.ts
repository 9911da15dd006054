/**
 * `stavik convert FILE OUT [--fields 'T,speed=mag(U)'] [--region R] [--time T | --moment I | --all]`: to an open format, by
 * the ending of OUT.
 */
import { extname } from 'node:path'
import { DataError, UserError } from '../core/errors'
import type { OpenCase } from '../core/formats/Format'
import type { Part } from '../core/case/catalogue'
import { convertCase, writtenEndings } from '../server/cases/convertCase'
import type { Conversion } from '../server/cases/convertCase'
import { readArguments } from './arguments'
import { chooseMoment } from './chooseMoment'
import { withCase } from './openCase'

const USAGE = "./stavik convert FILE OUT [--fields 'T,speed=mag(U)'] [--region R] [--time T | --moment I | --all]"

export async function convert(args: string[]): Promise<void> {
  const options = readArguments(args, { fields: 'value', region: 'value', time: 'value', moment: 'value', all: 'flag' }, USAGE)
  const [path, out] = options.positional
  if (!path || !out) throw new UserError('usage', `Name a file and what to write: ${USAGE}.`)
  if (!writtenEndings.includes(extname(out).toLowerCase()))
    throw new UserError('usage', `“${out}” is of no kind that is written; known are ${writtenEndings.join(', ')}.`)
  await withCase(path, async (opened) => {
    const { catalogue } = opened
    const isAll = options.has('all') && catalogue.moments.length > 1
    const moments = isAll
      ? catalogue.moments.map((m) => m.index)
      : [chooseMoment(catalogue, options.value('time'), options.value('moment'))]
    const tell = (text: string): void => void process.stderr.write(`stavik: ${text}\n`)
    await convertCase(
      { opened, parts: chosenParts(opened, options.value('region')), wanted: chosenFields(options.value('fields')), moments, tell },
      out,
    )
  })
}

function chosenParts({ catalogue }: OpenCase, region: string | undefined): Part[] {
  if (region === undefined) return catalogue.parts
  const found = catalogue.parts.filter((part) => part.name === region)
  if (!found.length)
    throw new DataError('no-part', `There is no region “${region}”; the file has ${catalogue.parts.map((p) => p.name).join(', ')}.`)
  return found
}

function chosenFields(text: string | undefined): Conversion['wanted'] {
  if (text === undefined) return undefined
  return splitOutside(text).map((entry) => {
    const at = entry.indexOf('=')
    const [name, formula] = at < 0 ? [entry, entry] : [entry.slice(0, at), entry.slice(at + 1)]
    return { name: name.trim(), text: at < 0 ? `\`${formula.trim()}\`` : formula.trim() }
  })
}

/** Splits at commas outside parentheses. */
function splitOutside(text: string): string[] {
  const pieces = ['']
  let depth = 0
  for (const ch of text) {
    depth += Number(ch === '(') - Number(ch === ')')
    if (ch === ',' && depth === 0) pieces.push('')
    else pieces[pieces.length - 1] += ch
  }
  return pieces
}
