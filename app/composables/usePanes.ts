/** The panes of the stage: what each shows now, which one is worked in, and the acts on them. */
import { useDebounceFn } from '@vueuse/core'
import type { Match } from '~~/core/study/moments'
import * as edits from '~~/core/study/panes'
import type { Divider, Pane, Rect } from '~~/core/study/panes'
import { putOptional, ranked } from '~~/core/study/studyModel'
import type { Annotations } from '~~/stage/annotations'
import type { LegendSpec } from '~~/stage/legend'
import type { Eye } from '~~/stage/Eye'
import type { CameraState } from '~~/stage/views'
import type { Stage } from '~~/stage/Stage'
import type { KeptCamera } from '../stores/view'
import type { StudyCases } from './useStudyCases'

/** Milliseconds after which a moment of its own is kept: not each one that is played. */
const CALM = 400
/** Stands for the only pane of a study without panes. */
export const ONLY = 'only'

export interface PaneNow {
  id: string
  number: number
  /** Its own name, or that of its case. */
  name: string
  caseId: string | null
  /** null where its case has no moment that stands for that of the others. */
  moment: number | null
  pane: Pane | null
  /** Case that is seen right of the swipe line, or instead, and where that line is. */
  other: { caseId: string; at: number } | null
}

/** What a picture shows of a pane. */
export interface PaneScene {
  title: string
  stage: Stage
  legends: readonly LegendSpec[]
  remarks: readonly string[]
  annotations: () => Annotations
}

/** Numbers that follow each other as `1–3`. */
function spanText(numbers: readonly number[]): string {
  const [first, last] = [numbers[0]!, numbers.at(-1)!]
  return numbers.length > 2 && last - first + 1 === numbers.length ? `${first}–${last}` : numbers.join(', ')
}

export function usePanes({ catalogues, match, momentFor }: Pick<StudyCases, 'catalogues' | 'match' | 'momentFor'>) {
  const store = useStudyStore()
  const view = useViewStore()
  const { document } = storeToRefs(store)
  const stages = shallowReactive(new Map<string, Stage>())
  /** What each pane draws now, for pictures of several. */
  const scenes = shallowReactive(new Map<string, () => PaneScene>())
  /** Legends of what each pane draws. */
  const legends = shallowReactive(new Map<string, readonly LegendSpec[]>())
  /** Columns that the legends of each pane take. */
  const columns = shallowReactive(new Map<string, number>())
  /** Pane that is dragged to another place. */
  const dragged = ref<string | null>(null)

  const hasPanes = computed(() => Object.keys(document.value?.panes ?? {}).length > 0)
  const all = computed(() => (document.value ? edits.numberedPanes(document.value) : []))
  const base = computed(() => Object.entries(document.value?.cases ?? {}).find(([, { isBase }]) => isBase)?.[0])

  /** Id of the pane that is worked in. */
  const active = computed(() => {
    if (!hasPanes.value) return ONLY
    const { pane, fullPane } = view
    const found = [fullPane, pane].find((id) => id !== null && document.value!.panes![id])
    return found ?? all.value[0]!.id
  })

  function momentIn(caseId: string): number | null {
    const { linked } = view
    const found = linked ? momentFor(linked.caseId, linked.moment, caseId) : undefined
    return found === undefined ? 0 : found
  }

  function otherOf(id: string, caseId: string | null, pane: Pane | null): PaneNow['other'] {
    if (view.isPeeking && id === active.value && base.value && base.value !== caseId) return { caseId: base.value, at: 0 }
    const { swipe } = pane ?? {}
    return swipe && document.value!.cases[swipe.case] ? { caseId: swipe.case, at: swipe.at } : null
  }

  const panes = computed<PaneNow[]>(() => {
    const study = document.value
    if (!study) return []
    const { caseId } = view
    const only = { id: ONLY, number: 1, name: study.cases[caseId ?? '']?.name ?? '', caseId, moment: view.moment, pane: null }
    if (!hasPanes.value) return [{ ...only, other: otherOf(ONLY, caseId, null) }]
    return all.value.map(({ id, number, pane }): PaneNow => {
      const own = study.cases[pane.case] ? pane.case : (ranked(study.cases)[0]?.[0] ?? null)
      const moment = id === active.value ? view.moment : (pane.moment ?? (own === null ? null : momentIn(own)))
      const name = pane.name ?? study.cases[own ?? '']?.name ?? ''
      return { id, number, name, caseId: own, moment, pane, other: otherOf(id, own, pane) }
    })
  })
  /** Those that are seen: all, or the one that fills the stage. */
  const seen = computed(() => {
    const full = panes.value.find(({ id }) => id === view.fullPane)
    return full ? [full] : panes.value
  })
  const layout = computed(() => {
    const split = document.value && edits.splitOf(document.value)
    const whole = { x: 0, y: 0, width: 1, height: 1 }
    if (!split || seen.value.length === 1) return { panes: new Map<string, Rect>([[seen.value[0]?.id ?? ONLY, whole]]), dividers: [] }
    return edits.layOut(split)
  })

  /** Case and moment that another pane brought along: nobody chose them. */
  let followed = ''
  const keepMoment = useDebounceFn((id: string, moment: number) => change(id, 'Moment of', { moment }), CALM)

  // the case and the moment that everything else works with are those of the pane that is worked in
  watch(
    () => [active.value, document.value?.panes?.[active.value]?.case] as const,
    ([id, caseId], before) => {
      const pane = document.value?.panes?.[id]
      if (!pane || !document.value!.cases[pane.case]) return
      const isOther = id !== before?.[0] || caseId !== view.caseId
      view.caseId = pane.case
      if (!isOther) return
      view.moment = Math.max(0, pane.moment ?? momentIn(pane.case) ?? 0)
      followed = `${view.caseId} ${view.moment}`
    },
    { immediate: true, flush: 'sync' },
  )
  watch(
    () => [view.caseId, view.moment] as const,
    ([caseId, moment]) => {
      if (caseId === null || followed === `${caseId} ${moment}`) return
      followed = ''
      const own = document.value?.panes?.[active.value]
      if (own?.moment === undefined) view.linked = { caseId, moment }
      else if (own.moment !== moment && own.case === caseId) void keepMoment(active.value, moment)
    },
    { immediate: true },
  )

  function work(id: string): void {
    if (id !== ONLY && view.pane !== id) view.pane = id
  }

  function titleOf(id: string): string {
    const now = panes.value.find((pane) => pane.id === id)
    return `pane ${now?.number ?? ''}`
  }

  function change(id: string, title: string, values: { [K in keyof Pane]?: Pane[K] | undefined }): void {
    void store.edit(`${title} ${titleOf(id)}`, (study) => putOptional(study.panes![id]!, values))
  }

  /** A copy beside or below, of the next case that is not seen yet. */
  function split(id: string, across: boolean): void {
    const now = panes.value.find((pane) => pane.id === id)
    if (now?.caseId == null) return
    const shown = new Set(panes.value.map(({ caseId }) => caseId))
    const next = ranked(document.value!.cases).find(([other]) => !shown.has(other) && catalogues.value.has(other))?.[0]
    let made: string | undefined
    void store.edit(`Split ${titleOf(id)}`, (study) => {
      const own = id === ONLY ? edits.firstPane(study, now.caseId!) : id
      made = edits.splitPane(study, own, across, next ? { case: next } : {})
    })
    if (made === undefined) {
      store.notice = { text: 'There is no room for another pane; close one first.', isError: true }
      return
    }
    view.fullPane = null
    work(made)
  }

  function close(id: string): void {
    const left = panes.value.filter((pane) => pane.id !== id)
    if (!left.length) return
    if (view.fullPane === id) view.fullPane = null
    if (active.value === id) work(left[0]!.id)
    void store.edit(`Close ${titleOf(id)}`, (study) => void edits.closePane(study, id))
  }

  /** This pane is the only one. */
  function only(id: string): void {
    const { caseId, moment } = panes.value.find((pane) => pane.id === id)!
    view.fullPane = null
    void store.edit('One pane', (study) => {
      delete study.panes
      delete study.split
    })
    view.caseId = caseId
    view.moment = moment ?? 0
  }

  function perCase(): void {
    const own = ranked(document.value!.cases).flatMap(([id]) => (isDrawn(id) ? [id] : []))
    view.fullPane = null
    void store.edit('A pane for each case', (study) => edits.panePerCase(study, own))
  }

  /** Tables are plotted, not drawn. */
  function isDrawn(caseId: string): boolean {
    return catalogues.value.get(caseId)?.parts.some((part) => !part.abscissa) ?? false
  }

  function swap(a: string, b: string): void {
    if (a !== b) void store.edit(`Swap ${titleOf(a)} with ${titleOf(b)}`, (study) => edits.swapPanes(study, a, b))
  }

  function move(divider: Divider, by: number): void {
    if (by !== 0) void store.edit('Divide the stage otherwise', (study) => edits.moveDivider(study, divider, by))
  }

  function toggleFull(id: string): void {
    view.fullPane = view.fullPane === id ? null : id
    work(id)
  }

  /** The next one is worked in. */
  function next(by: number): void {
    const i = panes.value.findIndex(({ id }) => id === active.value)
    const to = panes.value[(i + by + panes.value.length) % panes.value.length]!
    if (view.fullPane) view.fullPane = to.id
    work(to.id)
  }

  function show(pane: string, step: string, is: boolean): void {
    const name = document.value!.steps[step]!.name
    void store.edit(`${is ? 'Show' : 'Hide'} ${name} in ${titleOf(pane)}`, (study) => edits.showIn(study, pane, step, is))
  }

  function matchBy(how: Match): void {
    void store.edit('Match moments of cases', (study) => putOptional(study, { match: how === 'nearest' ? undefined : how }))
  }

  function swipe(id: string, caseId: string | null, at = 0.5): void {
    change(id, caseId === null ? 'No swipe in' : 'Swipe in', { swipe: caseId === null ? undefined : { case: caseId, at } })
  }

  /** Looks from where the pane was looked at in an earlier session. @returns whether there was one */
  function resume(now: PaneNow, eye: Eye): boolean {
    const camera = cameraOf(now)
    if (!camera) return false
    eye.follow(camera)
    if (camera.isFitted && !now.pane?.hasOwnView) isRefitting.value = true
    return true
  }

  /** Place that the pane is looked at from. */
  function cameraOf({ id, pane }: PaneNow): KeptCamera | null {
    return (pane?.hasOwnView ? view.cameras[id] : null) ?? view.camera
  }

  /** A pane was turned or moved: the ones that are linked with it follow. */
  function looked({ id, pane }: PaneNow, camera: CameraState): void {
    const own = stages.get(id)
    if (pane?.hasOwnView || !own) return
    const { isFitted, isMoving } = own.eye
    // turned by hand before all was drawn
    if (isMoving) isRefitting.value = false
    for (const other of linked()) if (other.id !== id) stages.get(other.id)?.eye.follow(camera, isFitted)
    const narrowest = narrowestOf(linked())
    // what fits into this pane may be cut off in a narrower one
    if (isFitted && narrowest && breadth(narrowest) < breadth(own)) narrowest.eye.fit()
  }

  const linked = (): PaneNow[] => seen.value.filter(({ pane }) => !pane?.hasOwnView)
  const breadth = ({ eye }: Stage): number => eye.size[0] / eye.size[1]

  /** What fits into the narrowest for its height fits into all. */
  function narrowestOf(own: readonly PaneNow[]): Stage | undefined {
    const drawn = own.flatMap(({ id }) => stages.get(id) ?? []).filter((stage) => stage.box())
    return drawn.sort((a, b) => breadth(a) - breadth(b))[0]
  }

  /** The panes were divided otherwise: until all is drawn again, what fitted into them is to fit again. */
  const isRefitting = ref(false)

  function refit(change: () => void): void {
    isRefitting.value = stages.get(active.value)?.eye.isFitted ?? false
    change()
  }

  /** @param isLast  all is drawn */
  function fitAgain(isLast: boolean): void {
    if (!isRefitting.value) return
    if (fitLinked() && isLast) isRefitting.value = false
  }

  /** Brings everything into view in all panes with linked views. @returns whether all of them have something to show */
  function fitLinked(): boolean {
    narrowestOf(linked())?.eye.fit()
    return linked().every(({ id }) => stages.get(id)?.box())
  }

  /** A pane has another size, for which it was fitted anew: linked ones are fitted together. */
  function resized({ pane }: PaneNow): void {
    if (!pane?.hasOwnView && seen.value.length > 1) fitLinked()
  }

  function keepCamera({ id, pane }: PaneNow, eye: Eye): void {
    const camera = { ...eye.cameraState(), isFitted: eye.isFitted }
    if (pane?.hasOwnView) view.cameras = { ...view.cameras, [id]: camera }
    else view.camera = camera
  }

  /** Unlinked it stays where it is; linked again it looks from where the others do. */
  function linkView({ id, pane }: PaneNow): void {
    const isOwn = !pane?.hasOwnView
    const own = stages.get(id)?.eye.cameraState() ?? view.camera
    if (isOwn) view.cameras = own ? { ...view.cameras, [id]: own } : view.cameras
    else {
      const other = seen.value.find((one) => one.id !== id && !one.pane?.hasOwnView)
      const camera = stages.get(other?.id ?? '')?.eye.cameraState() ?? view.camera
      if (camera) stages.get(id)?.eye.follow(camera)
    }
    change(id, isOwn ? 'Own view in' : 'Linked view in', { hasOwnView: isOwn || undefined })
  }

  function linkMoment({ id, pane, moment, caseId }: PaneNow): void {
    const isOwn = pane?.moment === undefined
    if (!isOwn && id === active.value && caseId) view.moment = momentIn(caseId) ?? 0
    change(id, isOwn ? 'Own moment in' : 'Linked moment in', { moment: isOwn ? (moment ?? 0) : undefined })
  }

  /** What differs means that equal colours mean other values. */
  function sameColours({ name, unit, map, isReversed, scale, low, high }: LegendSpec): string {
    return JSON.stringify([name, unit, map, isReversed, scale, low, high])
  }

  /** Numbers of the panes that have a legend, in their order. */
  function panesWith(spec: LegendSpec): number[] {
    const own = sameColours(spec)
    return seen.value.flatMap(({ id, number }) => (legends.get(id)?.some((other) => sameColours(other) === own) ? [number] : []))
  }

  /** One legend serves all panes that it is right for; several of them stand in one pane after the other. */
  function ownLegends(id: string, all: readonly LegendSpec[]): LegendSpec[] {
    const { number } = panes.value.find((pane) => pane.id === id)!
    let nShared = 0
    return all.flatMap((spec) => {
      const shared = panesWith(spec)
      if (shared.length < 2) return [spec]
      return shared[nShared++ % shared.length] === number ? [{ ...spec, range: `${spec.range} in ${spanText(shared)}` }] : []
    })
  }

  /** Variables that other panes draw in other colours, with the numbers of those panes. */
  function unlike(id: string, all: readonly LegendSpec[]): string[] {
    return all.flatMap((spec) => {
      const own = sameColours(spec)
      const others = seen.value.filter(
        (pane) => pane.id !== id && legends.get(pane.id)?.some((other) => other.variable === spec.variable && sameColours(other) !== own),
      )
      return others.length ? [`${spec.name}: other colours than in pane ${others.map(({ number }) => number).join(', ')}`] : []
    })
  }

  /** Columns of legends that there is room for in all linked panes. */
  const legendColumns = computed(() => Math.max(1, ...columns.values()))

  return {
    ...{ legends, dragged, columns, legendColumns, ownLegends, unlike },
    ...{ panes, seen, layout, active, hasPanes, base, match, stages, scenes, work, titleOf, change, isDrawn },
    split: (id: string, across: boolean) => refit(() => split(id, across)),
    close: (id: string) => refit(() => close(id)),
    only: (id: string) => refit(() => only(id)),
    perCase: () => refit(perCase),
    toggleFull: (id: string) => refit(() => toggleFull(id)),
    ...{ fitAgain, resized, cameraOf, swap, move, next, show, matchBy, swipe, resume, looked, keepCamera, linkView, linkMoment },
  }
}

export type Panes = ReturnType<typeof usePanes>
