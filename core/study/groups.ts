/** Groups of steps: those that stand together in the trail under one name. All change the study in place (a draft). */
import { ranked, rankBetween, spreadRanks } from './studyModel'
import type { Step, Study } from './studyModel'

export interface TrailRow {
  id: string
  step: Step
  /** Set at the first step of a group: all of them. */
  group?: { name: string; ids: string[] }
}

/** The trail with the beginnings of its groups. */
export function trailRows(steps: readonly [string, Step][]): TrailRow[] {
  return steps.map(([id, step], i): TrailRow => {
    const name = step.group
    if (name === undefined || steps[i - 1]?.[1].group === name) return { id, step }
    const end = steps.findIndex(([, other], k) => k > i && other.group !== name)
    return { id, step, group: { name, ids: steps.slice(i, end < 0 ? undefined : end).map(([own]) => own) } }
  })
}

/** Puts steps together, at the place of the first of them. @returns name of the group */
export function groupSteps(study: Study, ids: readonly string[]): string {
  const name = freshGroup(study)
  const all = ranked(study.steps)
  const own = all.filter(([id]) => ids.includes(id))
  const last = own[0]?.[1]
  if (!last) return name
  let rank = last.rank
  const next = all.find(([id, step]) => step.rank > rank && !ids.includes(id))?.[1].rank
  for (const [, step] of own) {
    step.group = name
    if (step !== last) step.rank = rank = rankBetween(rank, next)
  }
  spreadRanks(study.steps)
  return name
}

export function renameGroup(study: Study, ids: readonly string[], name: string): void {
  for (const id of ids) if (study.steps[id]) study.steps[id].group = name
}

export function ungroup(study: Study, ids: readonly string[]): void {
  for (const id of ids) delete study.steps[id]?.group
}

function freshGroup(study: Study): string {
  const names = new Set(Object.values(study.steps).map(({ group }) => group))
  for (let n = 1; ; n++) if (!names.has(`Group ${n}`)) return `Group ${n}`
}
