/** New studies, steps and looks with what users would most likely choose. */
import { defaultMap } from '../colour/maps'
import { unionBox, diagonal } from '../mesh/boxes'
import type { Box } from '../mesh/MeshBlock'
import { stepKind } from '../steps'
import type { Surroundings } from '../steps/offers'
import { expressionText, nameOf } from '../fields/formula/expressions'
import { closestName, isOfKind } from './bindings'
import type { Catalogue } from '../case/catalogue'
import { exhibit } from './exhibits'
import { leaveCase } from './panes'
import { setOwnIn } from './perCase'
import { freshId, ranked, rankBetween, STUDY_VERSION, variableName } from './studyModel'
import type { InputRef, Look, Step, Study, StudyPart } from './studyModel'

export const caseColours = [
  ...['#2F7F9E', '#8C4A86', '#C2662D', '#5B7F2B', '#A63D5F', '#4B5FA8'],
  // these, too, differ in lightness from those beside them
  ...['#1F8F6B', '#9A7612', '#7A5AD0', '#7A6455', '#D0508F', '#46566B'],
] as const

const partGrey = '#9AA5A3'

export function newStudy(name: string): Study {
  return {
    schema: 'stavik-study',
    version: STUDY_VERSION,
    name,
    cases: {},
    parts: {},
    variables: {},
    formulas: {},
    axes: {},
    steps: {},
    exhibits: {},
  }
}

export function plainLook(plain = partGrey, opacity = 1): Look {
  return {
    variable: null,
    plain,
    map: 'viridis',
    range: { mode: 'everything', min: 0, max: 1 },
    bands: 0,
    opacity,
    edges: 'none',
    width: 1.2,
  }
}

/**
 * Attaches a case: binds its parts and fields to those of the study by name, and adds what is new. Changes the study
 * in place (a draft). @returns id of the case in the study
 */
export function attachCase(study: Study, caseId: string, name: string, catalogue: Catalogue): string {
  const id = freshId(/^[a-z]/i.test(name) ? name : `case ${name}`, study.cases)
  const n = Object.keys(study.cases).length
  study.cases[id] = { case: caseId, name, rank: n + 1, colour: caseColours[n % caseColours.length]!, isBase: n === 0 }
  const open = { parts: catalogue.parts, fields: catalogue.fields.filter((f) => f.parts.length || f.place === 'whole case') }
  // measurements beside simulations are each by themselves, whatever their tables are called
  const areTablesApart = Object.values(study.parts).some(({ isTable }) => !isTable)
  bindKnown(study, id, areTablesApart ? { ...open, parts: open.parts.filter(({ abscissa }) => !abscissa) } : open)
  for (const part of open.parts) {
    if (Object.values(study.parts).some((p) => p.binding[id]?.includes(part.name))) continue
    const title = part.abscissa && areTablesApart ? name : part.name
    const partId = freshId(title, study.parts)
    study.parts[partId] = {
      name: title,
      rank: Object.keys(study.parts).length + 1,
      dimension: part.dimension,
      ...(part.abscissa && { isTable: true }),
      binding: { [id]: [part.name] },
    }
  }
  for (const field of open.fields) {
    if (Object.values(study.variables).some((v) => v.binding[id]?.field === field.name)) continue
    const variableId = freshId(field.name, study.variables, study.formulas)
    study.variables[variableId] = {
      name: field.name,
      rank: Object.keys(study.variables).length + 1,
      components: field.components,
      binding: { [id]: { field: field.name } },
    }
  }
  return id
}

/** Binds what the study knows already to the names of a case that are nearest to it. */
export function bindKnown(
  study: Pick<Study, 'parts' | 'variables'>,
  id: string,
  { parts, fields }: Pick<Catalogue, 'parts' | 'fields'>,
): void {
  for (const part of Object.values(study.parts)) {
    const name = closestName(
      part.name,
      parts.filter((p) => isOfKind(p, part)).map((p) => p.name),
    )
    if (name !== undefined) part.binding[id] = [name]
  }
  for (const variable of Object.values(study.variables)) {
    const name = closestName(variable.name, [...new Set(fields.filter((f) => f.components === variable.components).map((f) => f.name))])
    if (name !== undefined) variable.binding[id] = { field: name }
  }
}

/** Takes a case out with all its bindings. Parts and variables stay: steps may use them. Changes the study in place. */
export function detachCase(study: Study, id: string): void {
  const wasBase = study.cases[id]?.isBase
  delete study.cases[id]
  for (const bound of [...Object.values(study.parts), ...Object.values(study.variables)]) delete bound.binding[id]
  const [next] = ranked(study.cases)
  if (wasBase && next) next[1].isBase = true
  leaveCase(study, id, next?.[0])
  for (const step of Object.values(study.steps)) if (step.cases?.[id]) setOwnIn(step, id, false)
}

/** First look at a case: fluid boundaries translucent where they would hide what is inside, everything else solid. */
export function addFirstSteps(study: Study): void {
  const parts = ranked(study.parts)
  const surfaces = parts.filter(([, p]) => p.dimension === 2)
  const regions = parts.filter(([, p]) => p.dimension === 3)
  const [largest, ...others] = regions
  const add = (name: string, inputs: InputRef[], look: Look): void => {
    if (!inputs.length) return
    study.steps[freshId(name, study.steps)] = { ...newStep(study, 'show', inputs), name, look }
  }
  const isOther = (name: string): boolean => others.some(([, p]) => name.startsWith(p.name))
  const outside = surfaces.filter(([, p]) => !isOther(p.name))
  add('Bounds', outside.length ? outside.map(([part]) => ({ part })) : largest ? [{ part: largest[0] }] : [], {
    ...plainLook('#B9C4C0', regions.length ? 0.22 : 1),
    edges: 'outline',
  })
  add(
    'Solid',
    others.map(([part]) => ({ part })),
    plainLook('#7C8A89'),
  )
  const ofDimension = (dimension: number): [string, StudyPart][] => parts.filter(([, p]) => p.dimension === dimension && !p.isTable)
  if (!regions.length)
    add(
      'Lines',
      ofDimension(1).map(([part]) => ({ part })),
      plainLook('#3C4A4D'),
    )
  // points of another case are measurements, which stand in the view of this one
  const base = Object.keys(study.cases).find((id) => study.cases[id]!.isBase) ?? ''
  const isMeasured = ({ binding }: StudyPart): boolean => !binding[base]
  const points = ofDimension(0).filter(([, p]) => !regions.length || isMeasured(p))
  add(
    'Points',
    points.map(([part]) => ({ part })),
    plainLook('#3C4A4D'),
  )
  const table = parts.find(([, p]) => p.isTable)
  if (table && parts.every(([, p]) => p.isTable)) addChart(study, table[0])
}

/** First steps of a study of tables only. */
function addChart(study: Study, table: string): void {
  const id = freshId('Plot', study.steps)
  const step = {
    ...newStep(study, 'plot', [{ part: table }]),
    settings: defaultSettings('plot', plainSurroundings(study, [0, 0, 0, 1, 1, 1])),
  }
  study.steps[id] = step
  exhibit(study, id)
}

/** A step of a kind with its first input set, at the end of the trail. Its settings are filled by `fillSettings`. */
export function newStep(study: Study, kindId: string, of: InputRef[] = []): Step {
  const kind = stepKind(kindId)
  const ranks = ranked(study.steps)
  const inputs = Object.fromEntries(kind.inputs.map((input, i) => [input.name, i === 0 ? of : []]))
  return {
    kind: kindId,
    name: freshName(study, kind.title.split(' ')[0]!),
    rank: rankBetween(ranks[ranks.length - 1]?.[1].rank, undefined),
    isMuted: false,
    isShown: true,
    inputs,
    settings: {},
    look: { ...plainLook(kind.look?.plain ?? partGrey), ...(kind.look?.width && { width: kind.look.width }) },
  }
}

function freshName(study: Study, stem: string): string {
  const names = new Set(Object.values(study.steps).map((step) => step.name))
  for (let n = 1; ; n++) if (!names.has(`${stem} ${n}`)) return `${stem} ${n}`
}

/** Settings of a new step. @param wishes  those that are given */
export function defaultSettings(kindId: string, around: Surroundings, wishes: Step['settings'] = {}): Step['settings'] {
  return stepKind(kindId).defaults(around, wishes)
}

/** Surroundings in which nothing is known but a box and the variables of a study. */
export function plainSurroundings(study: Study, box: Box): Surroundings {
  return {
    box,
    pick: firstVariable(study),
    numbering: () => '',
    range: () => undefined,
    written: (_, value) => `${value}`,
    nameOf: (variable) => expressionText(nameOf(variableName(study, variable))),
    nReadings: readingsOf(study),
  }
}

/** How many steps of a study yield a number. */
export function readingsOf({ steps }: Study): number {
  return Object.values(steps).filter(({ kind }) => stepKind(kind).reading).length
}

/** The first variable of a study with so many components. */
export function firstVariable(study: Study): (components: number) => string {
  return (components) => {
    const all = ranked(study.variables)
    return (all.find(([, v]) => v.components === components) ?? all[0])?.[0] ?? ''
  }
}

/** A look coloured by a variable. */
export function colouredLook(variable: string): Look {
  return { ...plainLook(), variable, map: defaultMap() }
}

/** Box of all parts of a catalogue; a unit box while nothing is known. */
export function caseBox(catalogue: Catalogue): Box {
  const boxes = catalogue.parts.map((p) => p.bounds).filter((b): b is number[] => b.every((x) => x !== null))
  const box = unionBox(boxes as Box[])
  return diagonal(box) > 0 ? box : [0, 0, 0, 1, 1, 1]
}
