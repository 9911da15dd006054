/** How the study is looked at: outside undo, kept per study in this browser. */
import { defineStore } from 'pinia'
import type { CameraState } from '~~/stage/views'

/** Fitted: everything was brought into view and nobody moved it since, so that it is to fit again in a window of another size. */
export type KeptCamera = CameraState & { isFitted?: boolean }

interface Kept {
  caseId: string | null
  moment: number
  selected: string | null
  camera: KeptCamera | null
  /** First and last of the moments that are played; null: all. */
  span: [number, number] | null
  loop: Loop
  /** Moments a second; 0: real time. */
  rate: number
  /** Names of groups of the trail that are folded. */
  folded: string[]
  /** Chart that stands beside the stage, or over it. */
  openChart: string | null
  isChartWide: boolean
  /** Pane that is worked in, and the one that fills the stage. */
  pane: string | null
  fullPane: string | null
  /** Of panes with a view of their own. */
  cameras: Record<string, KeptCamera>
  /** What panes with linked moments follow. */
  linked: { caseId: string; moment: number } | null
}

export const loops = ['once', 'round', 'to and fro'] as const
export type Loop = (typeof loops)[number]

export const useViewStore = defineStore('view', () => {
  const caseId = ref<string | null>(null)
  const moment = ref(0)
  const selected = ref<string | null>(null)
  const camera = shallowRef<KeptCamera | null>(null)
  const span = shallowRef<[number, number] | null>(null)
  const loop = ref<Loop>('round')
  const rate = ref(4)
  const folded = shallowRef<string[]>([])
  const openChart = ref<string | null>(null)
  const isChartWide = ref(false)
  /** Places in the case that the cursor of a chart stands at. */
  const pointed = shallowRef<{ place: readonly number[]; colour: string }[]>([])
  /** The other way round: abscissa of the curve of the open chart that the pointer on the stage is near to. */
  const lookedAt = ref<number | null>(null)
  const hovered = ref<string | null>(null)
  const pane = ref<string | null>(null)
  const fullPane = ref<string | null>(null)
  const cameras = shallowRef<Record<string, KeptCamera>>({})
  const linked = shallowRef<{ caseId: string; moment: number } | null>(null)
  /** The base case is seen instead, for as long as a key is held. */
  const isPeeking = ref(false)
  /** Place that was clicked, which all other panes mark. */
  const picked = shallowRef<{ pane: string | null; place: readonly number[] } | null>(null)
  let key = ''

  /** @returns whether this study was seen here before */
  function open(studyId: string): boolean {
    key = `stavik-view-${studyId}`
    const kept = JSON.parse(localStorage.getItem(key) ?? '{}') as Partial<Kept>
    caseId.value = kept.caseId ?? null
    moment.value = kept.moment ?? 0
    selected.value = kept.selected ?? null
    camera.value = kept.camera ?? null
    span.value = kept.span ?? null
    loop.value = kept.loop ?? 'round'
    rate.value = kept.rate ?? 4
    folded.value = kept.folded ?? []
    openChart.value = kept.openChart ?? null
    isChartWide.value = kept.isChartWide ?? false
    pane.value = kept.pane ?? null
    fullPane.value = kept.fullPane ?? null
    cameras.value = kept.cameras ?? {}
    linked.value = kept.linked ?? null
    return kept.moment !== undefined
  }

  const kept = computed<Kept>(() => ({
    caseId: caseId.value,
    moment: moment.value,
    selected: selected.value,
    camera: camera.value,
    span: span.value,
    loop: loop.value,
    rate: rate.value,
    folded: folded.value,
    openChart: openChart.value,
    isChartWide: isChartWide.value,
    pane: pane.value,
    fullPane: fullPane.value,
    cameras: cameras.value,
    linked: linked.value,
  }))
  watch(kept, (now) => {
    if (key) localStorage.setItem(key, JSON.stringify(now))
  })

  return {
    ...{ caseId, moment, selected, camera, span, loop, rate, folded, openChart, isChartWide, pointed, lookedAt, hovered, open },
    ...{ pane, fullPane, cameras, linked, isPeeking, picked },
  }
})
