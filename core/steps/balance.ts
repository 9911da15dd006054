/** What flows into a region and out of it, surface by surface, and what is left over. */
import { Type } from '@sinclair/typebox'
import { formatNumber } from '../colour/ticks'
import { expressionText, nameOf } from '../fields/formula/expressions'
import type { Reading, ReadingMend } from '../measure/results'
import { isVelocity } from '../units/quantities'
import { flowsThrough, netOf, partsOfFlow } from './flows'
import { defineStep, settingsOf } from './StepKind'
import type { StepContext } from './StepKind'

const kinds = [
  { value: 'volume', label: 'volume', words: ['volume balance', 'volume flow'] },
  { value: 'mass', label: 'mass (with the density)', words: ['mass balance', 'mass flow'] },
] as const

const Settings = Type.Object({
  of: Type.Union(kinds.map(({ value }) => Type.Literal(value))),
  variable: Type.String(),
})

/** Share of what flows in that may be left over. */
const CLOSED = 0.01

export const balance = defineStep({
  id: 'balance',
  version: 1,
  title: 'Balance',
  words: ['balance', 'conservation', 'residual', 'inflow', 'outflow', 'mass balance', 'in and out'],
  icon: 'M12 4 V20 M7 20 H17 M4 8 L20 6 M4 8 L1.5 14 H6.5 Z M20 6 L17.5 12 H22.5 Z',
  settings: Settings,
  inputs: [
    { name: 'out of', accepts: ['region'] },
    { name: 'through', accepts: ['surface'], isList: true, bounds: 'out of' },
  ],
  defaults: ({ pick }, wishes) => ({ of: wishes.of ?? 'volume', variable: wishes.variable ?? pick(3, 'velocity') }),
  yields: () => 'reading',
  sentence: () => [
    'Balance of ',
    { token: 'choice', setting: 'of', options: kinds },
    ' with ',
    { token: 'variable', setting: 'variable', kind: 'through' },
    ' in ',
    { token: 'input', input: 'out of' },
    ' through ',
    { token: 'input', input: 'through' },
  ],
  reading: (context) => balanced(context, settingsOf(Settings, context).of === 'mass'),
})

function balanced(context: StepContext, isMass: boolean): Reading {
  const flows = flowsThrough(context, 'through', isMass)
  const { surfaces, unit } = flows
  const net = netOf(surfaces)
  const into = surfaces.reduce((sum, own) => sum + own.into, 0)
  const share = net / into
  const open = openMend(context)
  const caution = open?.caution ?? doubtOf(share, into)
  const mend = open ?? (caution && into > 0 ? insideMend(context, caution, isMass) : undefined)
  return {
    value: net,
    unit,
    parts: [...partsOfFlow(flows), { name: 'left over, of in', value: 100 * share, unit: '%' }],
    madeOf: ['out − in', ...flows.madeOf],
    cautions: [...flows.cautions, ...(caution ? [caution] : [])],
    ...(mend && { mends: [mend] }),
  }
}

function doubtOf(share: number, into: number): string | undefined {
  if (Math.abs(share) <= CLOSED) return undefined
  return into > 0
    ? `In and out do not close: ${formatNumber(100 * share, 3)} % of what flows in is left over.`
    : 'Nothing flows in through these surfaces, so nothing can be balanced.'
}

/** What is left over may come from inside: by the divergence of the velocity there. */
function insideMend(context: StepContext, caution: string, isMass: boolean): ReadingMend | undefined {
  const velocity = context.fields().find(({ field }) => isVelocity(field))
  if (!velocity) return undefined
  const name = expressionText(nameOf(velocity.called))
  const formula = {
    setting: 'variable',
    name: isMass ? 'mass source' : 'volume source',
    text: isMass ? `div(density * ${name})` : `div(${name})`,
  }
  return {
    caution,
    label: 'Measure what comes from inside',
    makes: { kind: 'measure', settings: { quantity: 'integral' }, of: 'out of', formula },
  }
}

/** Surfaces that bound the region and are left out. */
function openMend(context: StepContext): ReadingMend | undefined {
  const region = context.inputs('out of')[0]
  if (!region || !('part' in region)) return undefined
  const chosen = context.inputs('through').map((input) => ('part' in input ? input.part : ''))
  // the outer surface is all of it
  if (context.inputs('through').some((input) => 'part' in input && input.isOuter)) return undefined
  const all = context.surfacesOf(region.part).map(({ name }) => name)
  const missing = all.filter((name) => !chosen.includes(name))
  if (!missing.length) return undefined
  return {
    caution: `The surfaces leave ${region.part} open: ${missing.join(', ')} ${missing.length > 1 ? 'bound' : 'bounds'} it as well.`,
    label: 'Take all that bound it',
    inputs: { through: all },
  }
}
