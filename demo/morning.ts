/** The demo study as it stands after a morning's work: cuts, a kept zone, streamlines, readings, a curve, notes, views. */
import type { Box } from '../core/mesh/MeshBlock'
import type { Vector } from '../core/mesh/vectors'
import { colouredLook, defaultSettings, newStep, plainLook, plainSurroundings } from '../core/study/defaults'
import type { InputRef, Look, Step, Study } from '../core/study/studyModel'
import { tank } from './flow'

const R = tank.radius
const box: Box = [-R, -R, 0, R, R, tank.depth]
/** Zoom at which all of the tank is in view. */
const WHOLE = 0.2
const speedColours: Partial<Look> = { map: 'viridis', range: { mode: 'locked', min: 0, max: 0.5 } }

/** Changes the study in place (a draft): one of the tank's cases, as it was made. */
export function furnish(study: Study): void {
  study.formulas['speed'] = { name: 'speed', rank: 1, text: 'mag(U)' }
  const add = adder(study)
  const coloured = (variable: string, own: Partial<Look> = {}): Partial<Look> => ({ ...colouredLook(variable), ...own })
  const water: InputRef[] = [{ part: 'water' }]

  add(
    'depth',
    'Half depth',
    'slice',
    { of: water },
    { origin: [0, 0, tank.depth / 2], normal: [0, 0, 1] },
    coloured('speed', speedColours),
    'Cuts',
  )
  add(
    'levels',
    'Levels of age',
    'isosurface',
    { of: [{ step: 'depth' }] },
    { variable: 'age', series: 'several', value: 300, spacing: 300, count: 6, labels: 'numbers' },
    plainLook('#F7F8F5'),
    'Cuts',
  )
  add('cold', 'Cold zone', 'keep', { of: water }, { condition: "T < 283.5 'K'" }, { ...plainLook('#2F7F9E', 0.35) }, 'Zones')
  add('seeds', 'Seed line', 'line', {}, { start: [0.6, 0, 1.9], end: [3.7, 0, 1.9] }, plainLook('#1F2A2E'), 'Flow')
  add(
    'flow',
    'Streamlines',
    'trace',
    { of: water, seeds: [{ step: 'seeds' }] },
    { variable: 'u', count: 9, length: 1.6 },
    coloured('speed', { ...speedColours, form: 'tube', width: 2.4 }),
    'Flow',
  )
  add('radius', 'Radius', 'line', {}, { start: [0, 0, tank.depth / 2], end: [R, 0, tank.depth / 2] }, plainLook('#1F2A2E'), 'Numbers')
  study.steps['radius']!.isShown = false
  add('profile', 'Speed along the radius', 'plot', { along: [{ step: 'radius' }], in: water }, { variable: 'speed' }, {}, 'Numbers')
  add('volume', 'Cold volume', 'measure', { of: [{ step: 'cold' }] }, { quantity: 'size' }, {}, 'Numbers')
  add('mean', 'Mean temperature', 'measure', { of: water }, { quantity: 'mean', variable: 't' }, {}, 'Numbers')
  add(
    'outflow',
    'Out of the drain',
    'measure',
    { of: [{ part: 'drain' }], 'out of': water },
    { quantity: 'flux', variable: 'u' },
    {},
    'Numbers',
  )
  const exhibits = [
    ['outflow', 'reading'],
    ['mean', 'reading'],
    ['volume', 'reading'],
    ['profile', 'chart'],
  ] as const
  exhibits.forEach(([step, kind], i) => (study.exhibits[step] = { kind, name: study.steps[step]!.name, rank: i + 1, step }))
  study.legends = { speed: { title: 'Speed', format: 'fixed', digits: 1 } }
  study.marks = {
    notes: {
      fastest: { text: 'fastest: {value}', rank: 1, at: [0, 0, 0], extreme: { step: 'depth', which: 'max' }, offset: [18, -48] },
    },
  }
  study.views = {
    whole: view(1, 'The whole tank', [0.3, -1, 0.55], 1),
    above: view(2, 'From above', [0, -1e-4, 1], 1),
    arm: view(3, 'At the arm', [0.9, -1, 0.7], 3.2, [2.1, 1.3, 1.2]),
  }
}

type Add = (
  id: string,
  name: string,
  kind: string,
  inputs: Step['inputs'],
  settings: Step['settings'],
  look: Partial<Look>,
  group: string,
) => void

function adder(study: Study): Add {
  return (id, name, kind, inputs, settings, look, group) => {
    const made = newStep(study, kind)
    study.steps[id] = {
      ...made,
      ...{ name, group },
      inputs: { ...made.inputs, ...inputs },
      settings: defaultSettings(kind, plainSurroundings(study, box), settings),
      look: { ...made.look, ...look },
    }
  }
}

function view(
  rank: number,
  name: string,
  from: Vector,
  zoom: number,
  target: Vector = [0, 0, tank.depth / 2],
): NonNullable<Study['views']>[string] {
  const size = Math.hypot(...from)
  const away = 3 * Math.hypot(R, R, tank.depth / 2)
  const position = from.map((c, d) => target[d]! + (away * c) / size) as Vector
  return { name, rank, camera: { position, target, zoom: zoom * WHOLE } }
}
