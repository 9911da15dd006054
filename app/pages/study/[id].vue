<script setup lang="ts">
/** The workbench: trail on the left, stage, moments, exhibits. */
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue'
import { History, Redo2, Undo2 } from 'lucide-vue-next'
import { useEventListener } from '@vueuse/core'
import { tellingMoment } from '~~/core/case/catalogue'
import { firstLookAt } from '~~/core/study/firstLook'
import { ranked } from '~~/core/study/studyModel'
import { takePicture } from '~~/stage/picture'
import { viewNames } from '~~/stage/views'
import { loadFirstLook } from '~/composables/firstLook'
import type { FirstLook } from '~/composables/firstLook'
import BrandMark from '~/components/BrandMark.vue'
import ChartPanel from '~/components/ChartPanel.vue'
import CaseChips from '~/components/CaseChips.vue'
import CommandPalette from '~/components/CommandPalette.vue'
import ExhibitsTray from '~/components/ExhibitsTray.vue'
import AxesList from '~/components/AxesList.vue'
import FormulaList from '~/components/FormulaList.vue'
import HistoryPanel from '~/components/HistoryPanel.vue'
import MomentStrip from '~/components/MomentStrip.vue'
import StageArea from '~/components/StageArea.vue'
import TrailPanel from '~/components/TrailPanel.vue'

const route = useRoute()
const bench = useWorkbench()
provide(workbenchKey, bench)
const { store, view, document: study } = bench

const isPaletteOpen = ref(false)
/** Step that a step chosen in the palette is put before. */
const before = ref<string | null>(null)
function openPalette(step: string | null = null): void {
  before.value = step
  isPaletteOpen.value = true
}
const problem = ref('')
const axes = ref<InstanceType<typeof AxesList>>()
const formulas = ref<InstanceType<typeof FormulaList>>()
const trail = ref<InstanceType<typeof TrailPanel>>()
const { stage } = bench.evaluated
/** The name as it is typed; null while it is not. */
const naming = ref<string | null>(null)
const firstLook = shallowRef<FirstLook | null>(null)

onMounted(async () => {
  const id = String(route.params['id'])
  try {
    await store.open(id)
    const isKnown = view.open(id)
    if (typeof route.query['add'] === 'string') await addCase(route.query['add'])
    if (!view.caseId || !study.value!.cases[view.caseId]) view.caseId = ranked(study.value!.cases)[0]?.[0] ?? null
    view.caseId = Object.entries(study.value!.cases).find(([, { name }]) => name === route.query['case'])?.[0] ?? view.caseId
    if (!isKnown && bench.cases.catalogue.value) view.moment = tellingMoment(bench.cases.catalogue.value)
    if (view.moment >= bench.cases.nMoments.value) view.moment = 0
    isFresh = store.revision === 0 && !isKnown
  } catch (error) {
    problem.value = (error as Error).message
  }
})
onBeforeUnmount(() => store.close())

/** Comes from the data check of a case with the wish to have it in this study. */
async function addCase(caseId: string): Promise<void> {
  await bench.cases.add(caseId)
  await navigateTo({ path: route.path }, { replace: true })
}
useHead({ title: computed(() => (study.value ? `${study.value.name} – Stavik` : 'Stavik')) })

/** Nobody has seen or changed it yet. */
let isFresh = false
// something worth seeing, as soon as the case is there
watch(
  () => [bench.cases.ready.value, view.caseId, bench.cases.catalogue.value] as const,
  ([ready, caseId, catalogue]) => {
    if (!isFresh || !ready || !caseId || !catalogue || store.revision !== 0) return
    isFresh = false
    // of a case that was still being read when the study was opened
    view.moment = tellingMoment(catalogue)
    const look = firstLookAt(study.value!, caseId, catalogue)
    if (!look) return
    void store.edit('First look', (draft) => look.apply(draft))
    store.notice = { text: `A first look: ${look.words}.`, isError: false, act: { title: 'Take it back', run: () => store.undo() } }
  },
)

// while the case is read, its outer surface: in grey, then coloured
let looks = 0
watch(
  () => bench.cases.attached.value,
  async (attached) => {
    const made = attached?.state === 'reading' ? (attached.progress?.looks ?? 0) : 0
    if (!attached || made <= looks) return
    looks = made
    firstLook.value = (await loadFirstLook(attached.id).catch(() => null)) ?? firstLook.value
  },
)

// a picture for the library, when it is gone back to
let picturedAt = -1
async function keepThumbnail(): Promise<void> {
  if (bench.evaluated.isComputing.value || !stage.value?.box() || picturedAt === store.revision) return
  picturedAt = store.revision
  const picture = await takePicture(stage.value, { width: 480, height: 300, dpi: 110, ground: 'stage', legends: [] })
  await api.upload(`/api/studies/${store.id}/thumbnail`, picture, 'PUT').catch(() => undefined)
}
onBeforeRouteLeave(() => keepThumbnail())

/** Panels that open from a button. */
const panels = [
  { title: 'Panes', words: 'split compare case link swipe' },
  { title: 'Views', words: 'camera angle rotate turn normal perspective exact' },
  { title: 'Take a picture', words: 'image png photo save export report' },
  { title: 'Save a film', words: 'animation video movie gif mp4 webm' },
  { title: 'Add a case or a table', words: 'run compare measurement data import' },
  { title: 'Cases and bindings', words: 'compare run add parts variables names' },
  { title: 'Units of this case', words: 'display convert' },
  { title: 'All variables', words: 'list fields unit range smallest largest minimum maximum table' },
  { title: 'History', words: 'versions back' },
]

/** Presses the button of a panel, once the palette has given the focus back. */
function press(label: string): void {
  setTimeout(() => document.querySelector<HTMLElement>(`button[aria-label="${label}"]`)?.click())
}

const derived = useDerivedActs(bench)
const paneActs = usePaneActs(bench)
const markActs = computed(() => {
  const marks = bench.marks.value
  const step = bench.selected.value
  if (!marks) return []
  const coloured = step !== null && study.value?.steps[step]?.look.variable
  return [
    {
      title: 'Box with axes',
      words: 'bounding box ticks units rulers scale coordinates',
      hint: 'on or off',
      run: () => marks.toggle('hasBox'),
    },
    {
      title: 'Rulers along the edges',
      words: 'scale coordinates ticks length',
      hint: 'on or off',
      run: () => marks.toggle('hasRulers'),
    },
    {
      title: 'Ambient occlusion',
      words: 'shading shadows depth corners light',
      hint: 'on or off',
      run: () => marks.toggle('hasOcclusion'),
    },
    {
      title: 'Perspective or parallel view',
      words: 'camera projection orthographic angle',
      hint: 'P on the stage',
      run: () => bench.evaluated.stage.value?.eye.togglePerspective(),
    },
    { title: 'Case and moment on pictures', words: 'caption name time', hint: 'on or off', run: () => marks.toggle('hasCaption') },
    { title: 'Scale bar on pictures', words: 'ruler length size', hint: 'on or off', run: () => marks.toggle('hasScaleBar') },
    { title: 'Keep this view', words: 'camera save bookmark', hint: 'view', run: () => marks.keepView() },
    ...marks.views.value.map(([id, view]) => ({
      title: view.name,
      words: 'view camera',
      hint: 'kept view',
      run: () => marks.goToView(id),
    })),
    ...(coloured
      ? (['max', 'min'] as const).map((which) => ({
          title: `Note at the ${which === 'max' ? 'largest' : 'smallest'} value`,
          words: 'annotation label maximum minimum extreme leader',
          hint: study.value!.steps[step]!.name,
          run: () => marks.noteExtreme(step, which),
        }))
      : []),
  ]
})
const openChart = computed(() => bench.charts.charts.value.find(({ id }) => id === view.openChart))

const plane = selectedPlane(bench)
const acts = computed(() => [
  ...(store.notice?.act ? [{ ...store.notice.act, words: 'notice first look', hint: store.notice.text }] : []),
  ...panels.map((panel) => ({ ...panel, hint: 'panel', run: () => press(panel.title) })),
  ...bench.charts.charts.value.map(({ id, exhibit }) => ({
    title: `Open the chart ${exhibit.name}`,
    words: 'curve axes legend svg pdf csv xlsx',
    hint: 'chart',
    run: () => void (view.openChart = id),
  })),
  {
    title: 'New axes',
    words: 'axes coordinate system cylindrical spherical cartesian rotating',
    hint: 'for formulas',
    run: () => axes.value?.add(),
  },
  {
    title: 'New formula',
    words: 'formula derive variable calculator expression',
    hint: 'speed = mag(U)',
    run: () => void formulas.value?.begin(null),
  },
  { title: 'Show all steps', words: 'hidden everything visible', hint: 'trail', run: () => bench.acts.showAll() },
  { title: 'Undo', words: 'back', hint: 'Ctrl Z', run: () => void store.undo() },
  { title: 'Redo', words: 'again', hint: 'Ctrl Y', run: () => void store.redo() },
  { title: 'Fit everything', words: 'zoom view all', hint: 'F on the stage', run: () => stage.value?.eye.fit() },
  { title: 'Three-quarter view', words: 'camera look home', hint: 'view', run: () => stage.value?.eye.home() },
  ...(plane.value ? [plane.value] : []).map(({ name, normal }) => ({
    title: `Along the normal of ${name}`,
    words: 'camera look straight perpendicular plane',
    hint: 'view',
    run: () => stage.value?.eye.along(normal),
  })),
  ...viewNames.map((name) => ({ title: `View from ${name}`, words: 'camera look', hint: 'view', run: () => stage.value?.eye.view(name) })),
  ...derived.value,
  ...paneActs.value,
  ...markActs.value,
  ...bench.acts.repeats.value.map(({ from, to }) => {
    const [own, other] = [from, to].map((id) => study.value?.parts[id]?.name ?? '')
    return {
      title: `Repeat what is made of ${own} on ${other}`,
      words: 'copy steps looks other mesh apply again',
      hint: 'steps and looks',
      run: () => bench.acts.repeat(from, to),
    }
  }),
  ...ranked(study.value?.cases ?? {}).map(([id, entry]) => ({
    title: entry.name,
    words: 'case run',
    hint: 'show this case',
    run: () => bench.cases.choose(id),
  })),
])

useEventListener(window, 'keydown', (event: KeyboardEvent) => {
  const isCommand = event.ctrlKey || event.metaKey
  const key = event.key.toLowerCase()
  if (isCommand && key === 'k') openPalette()
  else if (event.key === 'F6') cycleFocus()
  else if (isCommand && !(event.target instanceof HTMLInputElement) && key === 'z') void (event.shiftKey ? store.redo() : store.undo())
  else if (isCommand && !(event.target instanceof HTMLInputElement) && key === 'y') void store.redo()
  else return
  event.preventDefault()
})

/** F6 moves between trail, stage, moments and tray. */
function cycleFocus(): void {
  const places = [
    '[data-trail]',
    ...bench.panes.seen.value.map(({ id }) => `[data-pane="${id}"] [data-stage]`),
    '[aria-label="Moments"] button, [aria-label="Moments"] input',
    '[aria-label="Exhibits"] article, [aria-label="Exhibits"] button',
  ]
  const found = places.map((place) => document.querySelector<HTMLElement>(place)).filter((e): e is HTMLElement => !!e)
  const at = found.findIndex((e) => e === document.activeElement || (e.matches('[data-trail]') && e.contains(document.activeElement)))
  found[(at + 1) % found.length]?.focus()
}

const saved = computed(() =>
  store.savedAt ? `kept ${store.savedAt.toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })}` : 'everything is kept',
)

function rename(): void {
  const name = naming.value?.trim()
  naming.value = null
  if (name && name !== study.value?.name) void store.edit(`Rename study to ${name}`, (draft) => void (draft.name = name))
}

const readingText = computed(() => {
  const attached = bench.cases.attached.value
  if (!attached || attached.state === 'ready') return ''
  if (attached.state === 'failed') return attached.failure ?? 'This case could not be read.'
  if (attached.state === 'gone') return 'This case was taken out of the library.'
  return `Reading ${attached.name}: ${attached.progress?.what ?? 'waiting'}, ${Math.round(100 * (attached.progress?.share ?? 0))} %`
})

watch(
  () => store.notice,
  (notice, _old, onCleanup) => {
    // what can be acted upon stays until the next edit
    if (!notice || notice.act) return
    const timer = setTimeout(() => (store.notice = null), notice.isError ? 12_000 : 3500)
    onCleanup(() => clearTimeout(timer))
  },
)
</script>

<template>
  <div class="grid h-full grid-rows-[44px_minmax(0,1fr)]">
    <header class="flex items-center gap-3.5 border-b border-line px-3.5">
      <BrandMark />
      <span v-if="study" class="flex items-baseline gap-2 font-medium">
        <input
          v-if="naming !== null"
          v-model="naming"
          class="field h-6"
          aria-label="Name of the study"
          @keydown.enter="rename"
          @keydown.esc="naming = null"
          @blur="rename"
          @vue:mounted="({ el }: { el: HTMLInputElement }) => el.select()"
        />
        <button v-else type="button" title="Rename the study" @click="naming = study.name">{{ study.name }}</button>
        <small class="text-[12px] font-normal text-mute">{{ saved }}</small>
      </span>
      <span class="flex-1" />
      <button
        type="button"
        class="flex h-7 w-[270px] items-center rounded-md border border-line bg-panel px-2.5 text-mute hover:border-mute"
        @click="openPalette()"
      >
        Do or find anything<kbd class="num ml-auto rounded border border-line bg-paper px-1.5 text-[11px]">Ctrl K</kbd>
      </button>
      <button type="button" class="icon" aria-label="Undo" title="Undo (Ctrl Z)" @click="store.undo()"><Undo2 :size="17" /></button>
      <button type="button" class="icon" aria-label="Redo" title="Redo (Ctrl Y)" @click="store.redo()"><Redo2 :size="17" /></button>
      <Popover class="relative">
        <PopoverButton class="icon" aria-label="History" title="History"><History :size="17" /></PopoverButton>
        <PopoverPanel class="pop absolute right-0 top-9 w-80"><HistoryPanel /></PopoverPanel>
      </Popover>
    </header>

    <main v-if="problem" class="grid place-items-center">
      <p role="alert" class="text-brick">{{ problem }} <NuxtLink to="/" class="text-pine underline">To the library</NuxtLink></p>
    </main>
    <div v-else class="grid min-h-0 grid-cols-[348px_minmax(0,1fr)]">
      <aside class="flex min-h-0 flex-col border-r border-line">
        <template v-if="study">
          <CaseChips />
          <FormulaList ref="formulas" @axes="axes?.add()" />
          <AxesList ref="axes" />
          <TrailPanel ref="trail" @palette="openPalette" />
        </template>
      </aside>
      <main class="flex min-h-0 min-w-0 flex-col">
        <p v-if="readingText" role="status" class="border-b border-line bg-amber-wash px-3.5 py-1.5 text-amber-text">{{ readingText }}</p>
        <div class="relative flex min-h-0 flex-1">
          <StageArea class="min-w-0" :first-look="firstLook" />
          <ChartPanel
            v-if="openChart"
            :chart="openChart"
            :class="view.isChartWide ? 'absolute inset-0 z-20' : 'w-1/2 shrink-0 border-l border-line'"
          />
        </div>
        <MomentStrip />
        <ExhibitsTray @palette="openPalette()" />
      </main>
    </div>
    <CommandPalette v-model="isPaletteOpen" :acts="acts" :before="before" @formula="(text) => void formulas?.begin(null, text)" />
    <p
      v-if="store.notice"
      :role="store.notice.isError ? 'alert' : 'status'"
      class="pop fixed bottom-40 left-1/2 max-w-[520px] -translate-x-1/2 px-3! py-2!"
      :class="{ 'text-brick': store.notice.isError }"
    >
      {{ store.notice.text }}
      <button
        v-if="store.notice.act"
        type="button"
        class="ml-2 text-pine underline"
        @click="(store.notice.act.run(), (store.notice = null))"
      >
        {{ store.notice.act.title }}
      </button>
      <button v-if="store.notice.isError || store.notice.act" type="button" class="ml-2 text-pine underline" @click="store.notice = null">
        Close
      </button>
    </p>
  </div>
</template>
