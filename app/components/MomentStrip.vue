<script setup lang="ts">
/** What the case has over time or as modes and load cases; which moment is shown, and how it is played. */
import { ArrowLeftRight, ArrowRight, ChevronFirst, ChevronLast, Pause, Play, Repeat, StepBack, StepForward } from 'lucide-vue-next'
import { matches, matchWords } from '~~/core/study/moments'
import type { Match } from '~~/core/study/moments'
import { loops } from '~/stores/view'

const bench = useBench()
const { view, panes } = bench
/** Panes of other cases with moments, which follow. */
const followers = computed(() =>
  panes.seen.value.filter(
    ({ id, caseId, pane }) => id !== panes.active.value && caseId !== view.caseId && pane?.moment === undefined && momentsOf(caseId) > 1,
  ),
)
const momentsOf = (caseId: string | null): number => bench.cases.catalogues.value.get(caseId ?? '')?.moments.length ?? 0
const moments = computed(() => bench.cases.catalogue.value?.moments ?? [])
const now = computed(() => moments.value[view.moment])
const span = computed(() => view.span ?? [0, moments.value.length - 1])
const label = computed(() => bench.cases.momentLabel(view.moment))
const isPlaying = ref(false)
/** 1 forward, -1 on the way back. */
let way = 1
let timer: ReturnType<typeof setTimeout> | undefined

const kindWords: Record<string, string> = {
  time: 'times',
  mode: 'modes',
  'load case': 'load cases',
  frequency: 'frequencies',
  step: 'steps',
  iteration: 'iterations',
  index: 'moments',
}
const isTimed = computed(() => moments.value.every((m) => m.kind === 'time' && m.value !== null))

function go(to: number): void {
  const n = moments.value.length
  view.moment = (to + n) % n
}

/** The moment after this one within the played span; undefined at its end when it is played once. */
function next(at: number): number | undefined {
  const [from, to] = span.value as [number, number]
  if (at + way >= from && at + way <= to) return at + way
  if (view.loop === 'once' || from === to) return undefined
  if (view.loop === 'round') return from
  way = -way
  return at + way
}

/** Milliseconds from this moment to the next as it is to be played. */
function pauseAfter(at: number, to: number): number {
  if (view.rate > 0 || !isTimed.value) return 1000 / (view.rate || 4)
  return Math.min(10_000, Math.max(20, 1000 * Math.abs(moments.value[to]!.value! - moments.value[at]!.value!)))
}

function tick(shownAt: number): void {
  if (!isPlaying.value) return
  const to = next(view.moment)
  if (to === undefined) return stop()
  const wait = pauseAfter(view.moment, to) - (performance.now() - shownAt)
  timer = setTimeout(
    () => {
      // the next one only when this one is drawn: nothing is skipped
      if (bench.evaluated.isComputing.value) return void (timer = setTimeout(() => tick(shownAt), 30))
      view.moment = to
      tick(performance.now())
    },
    Math.max(0, wait),
  )
}

function play(): void {
  const [from, to] = span.value as [number, number]
  way = 1
  if (view.moment < from || (view.moment >= to && view.loop === 'once') || view.moment > to) view.moment = from
  isPlaying.value = true
  tick(performance.now())
}

function stop(): void {
  isPlaying.value = false
  clearTimeout(timer)
}
onBeforeUnmount(stop)
watch(() => view.caseId, stop)

// what comes next is asked for while this one is looked at
watch([() => view.moment, bench.evaluated.isComputing], () => {
  if (bench.evaluated.isComputing.value || moments.value.length < 2) return
  const ahead = isPlaying.value ? next(view.moment) : view.moment + 1
  if (ahead !== undefined && ahead < moments.value.length) bench.evaluated.prefetch(ahead)
})

/** Moments from which on they are typed rather than chosen from a list. */
const MANY = 200

/** The nearest moment to a typed value; of those without values the number in the list. undefined: no number was typed */
function typedMoment(event: Event): number | undefined {
  const written = (event.target as HTMLInputElement).value.replace(',', '.').replace(/[^\d.eE+-]/g, '')
  const wanted = Number(written)
  if (!written || !Number.isFinite(wanted)) return undefined
  const known = moments.value.filter((m) => m.value !== null)
  if (!known.length) return Math.min(Math.max(Math.round(wanted) - 1, 0), moments.value.length - 1)
  return known.reduce((a, b) => (Math.abs(b.value! - wanted) < Math.abs(a.value! - wanted) ? b : a)).index
}

function goToValue(event: Event): void {
  const index = typedMoment(event)
  ;(event.target as HTMLInputElement).value = ''
  if (index !== undefined) go(index)
}

/** What was typed becomes the moment that it means. */
function typeSpan(end: 0 | 1, event: Event): void {
  const index = typedMoment(event)
  if (index !== undefined) setSpan(end, index)
  ;(event.target as HTMLInputElement).value = moments.value[span.value[end]!]!.label
}

function setSpan(end: 0 | 1, index: number): void {
  const [from, to] = span.value as [number, number]
  const chosen: [number, number] = end === 0 ? [index, Math.max(index, to)] : [Math.min(from, index), index]
  view.span = chosen[0] === 0 && chosen[1] === moments.value.length - 1 ? null : chosen
}

const nextLoop = (): void => void (view.loop = loops[(loops.indexOf(view.loop) + 1) % loops.length]!)
const loopWords = { once: 'Play once', round: 'Play round and round', 'to and fro': 'Play to and fro' }
</script>

<template>
  <div class="flex h-[42px] shrink-0 items-center gap-1 border-t border-line bg-panel px-3 text-[12px]" aria-label="Moments">
    <template v-if="moments.length > 1">
      <button type="button" class="icon" aria-label="First moment" title="First moment" @click="go(span[0]!)">
        <ChevronFirst :size="16" />
      </button>
      <button type="button" class="icon" aria-label="Previous moment" title="Previous moment" @click="go(view.moment - 1)">
        <StepBack :size="15" />
      </button>
      <button
        type="button"
        class="icon"
        :aria-label="isPlaying ? 'Pause' : 'Play'"
        :title="isPlaying ? 'Pause' : 'Play'"
        @click="isPlaying ? stop() : play()"
      >
        <Pause v-if="isPlaying" :size="15" /><Play v-else :size="15" />
      </button>
      <button type="button" class="icon" aria-label="Next moment" title="Next moment" @click="go(view.moment + 1)">
        <StepForward :size="15" />
      </button>
      <button type="button" class="icon" aria-label="Last moment" title="Last moment" @click="go(span[1]!)">
        <ChevronLast :size="16" />
      </button>
      <button type="button" class="icon" :aria-label="loopWords[view.loop]" :title="loopWords[view.loop]" @click="nextLoop">
        <ArrowRight v-if="view.loop === 'once'" :size="15" /><Repeat v-else-if="view.loop === 'round'" :size="15" /><ArrowLeftRight
          v-else
          :size="15"
        />
      </button>
      <select
        v-model.number="view.rate"
        class="num h-6 rounded border border-line bg-panel"
        aria-label="How fast it is played"
        title="How fast it is played"
      >
        <option v-for="rate in [1, 2, 4, 10, 25]" :key="rate" :value="rate">{{ rate }}/s</option>
        <option v-if="isTimed" :value="0">real time</option>
      </select>
      <b class="num ml-2 min-w-28 max-w-44 shrink-0 truncate font-medium" :title="now?.label">{{ label }}</b>
      <input
        class="field num h-6 w-16 px-1.5! py-0!"
        :placeholder="now?.value === null ? 'number' : 'go to…'"
        aria-label="Go to the moment nearest to"
        @change="goToValue"
        @keydown.enter="goToValue"
      />
      <span class="relative mx-1 flex flex-1 items-center">
        <span
          v-if="view.span"
          class="pointer-events-none absolute h-1.5 rounded bg-pine/30"
          :style="{ left: `${(100 * span[0]!) / (moments.length - 1)}%`, right: `${100 - (100 * span[1]!) / (moments.length - 1)}%` }"
          aria-hidden="true"
        />
        <input
          v-model.number="view.moment"
          type="range"
          min="0"
          :max="moments.length - 1"
          class="w-full accent-pine"
          aria-label="Moment"
          :aria-valuetext="label"
        />
      </span>
      <label
        v-for="(end, e) in [
          ['play', 'First moment played'],
          ['to', 'Last moment played'],
        ] as const"
        :key="end[0]"
        class="flex items-center gap-1 text-mute"
        >{{ end[0] }}
        <input
          v-if="moments.length > MANY"
          class="field num h-6 w-20 px-1.5! py-0! text-ink"
          :aria-label="end[1]"
          :value="moments[span[e]!]!.label"
          @change="typeSpan(e as 0 | 1, $event)"
        />
        <select
          v-else
          class="num h-6 max-w-20 rounded border border-line bg-panel text-ink"
          :aria-label="end[1]"
          :value="span[e]"
          @change="setSpan(e as 0 | 1, Number(($event.target as HTMLSelectElement).value))"
        >
          <option v-for="m in moments" :key="m.index" :value="m.index">{{ m.label }}</option>
        </select>
      </label>
      <select
        v-if="followers.length"
        class="h-6 max-w-36 rounded border border-line bg-panel"
        :value="panes.match.value"
        aria-label="Moments of other cases that stand for this one"
        title="Moments of other cases that stand for this one"
        @change="panes.matchBy(($event.target as HTMLSelectElement).value as Match)"
      >
        <option v-for="how in matches" :key="how" :value="how">{{ matchWords[how] }}</option>
      </select>
      <span class="num ml-1 whitespace-nowrap text-mute"
        >{{ view.moment + 1 }} of {{ moments.length }} {{ kindWords[now?.kind ?? 'index'] ?? 'moments' }}</span
      >
    </template>
    <template v-else>
      <b class="font-medium">steady</b><span class="text-mute">one moment</span><span class="mx-2 h-px flex-1 bg-line" />
    </template>
  </div>
</template>
