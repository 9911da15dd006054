/** What of the study is shown as readings and charts. All change the study in place (a draft). */
import { stepKind } from '../steps'
import { curvesOf } from './chart'
import { freshId, plainCopy } from './studyModel'
import type { Study } from './studyModel'

/** A reading or a chart of a new step, if it has a number or a curve. */
export function exhibit(study: Study, id: string): void {
  const step = study.steps[id]!
  const { reading, curve } = stepKind(step.kind)
  if (!reading && !curve) return
  const rank = Math.max(0, ...Object.values(study.exhibits).map((other) => other.rank)) + 1
  study.exhibits[freshId(id, study.exhibits)] = { kind: reading ? 'reading' : 'chart', name: step.name, rank, step: id }
}

/** The curve of a copy stands in the charts of what it was copied from; a reading has its own card. */
export function exhibitCopy(study: Study, id: string, copy: string): void {
  let isShown = false
  for (const own of Object.values(study.exhibits)) {
    const found = curvesOf(own).find(({ step }) => step === id)
    if (own.kind !== 'chart' || !found) continue
    const { colour: _, ...rest } = plainCopy(found)
    own.curves = [...plainCopy(curvesOf(own)), { ...rest, step: copy }]
    isShown = true
  }
  if (!isShown) exhibit(study, copy)
}

/** A chart without curves goes with the last of them. */
export function takeOutOfExhibits(study: Study, id: string): void {
  for (const [key, own] of Object.entries(study.exhibits)) {
    if (!own.curves) {
      if (own.step === id) delete study.exhibits[key]
      continue
    }
    own.curves = own.curves.filter(({ step }) => step !== id)
    if (own.step !== id) continue
    if (own.kind === 'chart' && own.curves.length) own.step = own.curves[0]!.step
    else delete study.exhibits[key]
  }
}
