<script setup lang="ts">
/** The trail: one Tab stop; arrows move between steps and tokens. */
import { onKeyStroke } from '@vueuse/core'
import type { InputRef } from '~~/core/study/studyModel'
import { stepKind } from '~~/core/steps'
import { trailRows } from '~~/core/study/groups'
import { sentenceText } from '~~/core/study/sentenceText'
import StepItem from './StepItem.vue'
import TrailGroup from './TrailGroup.vue'

/** The palette, to add a step, or to put one before another. */
const emit = defineEmits<{ palette: [before: string | null] }>()
const bench = useBench()
const list = ref<HTMLElement>()
const items = new Map<string, InstanceType<typeof StepItem>>()

/** Indent of a step: one more than the step it is made of, at most three. */
function depthOf(id: string): number {
  let depth = 0
  for (let at: string | undefined = parentOf(id); at && depth < 3; at = parentOf(at)) depth++
  return depth
}

function parentOf(id: string): string | undefined {
  const step = bench.current.value?.steps[id]
  const first = step && stepKind(step.kind).inputs[0]
  const ref = first && (step.inputs[first.name]?.[0] as InputRef | undefined)
  return ref && 'step' in ref ? ref.step : undefined
}

const cautions = computed(() => [...bench.evaluated.results.value.values()].filter((r) => r.error || r.reading?.cautions.length).length)

function select(by: number): void {
  const ids = shown.value.map(([id]) => id)
  const at = ids.indexOf(bench.selected.value ?? '')
  bench.selected.value = ids[Math.min(Math.max(at + by, 0), ids.length - 1)] ?? null
}

function tokens(): HTMLElement[] {
  return [...(list.value?.querySelectorAll<HTMLElement>(`[data-step="${bench.selected.value}"] [data-token]`) ?? [])]
}

function walkTokens(by: number): void {
  const all = tokens()
  const at = all.indexOf(document.activeElement as HTMLElement)
  all[at < 0 ? (by > 0 ? 0 : all.length - 1) : Math.min(Math.max(at + by, 0), all.length - 1)]?.focus()
}

/** What is looked for in names and sentences. */
const wanted = ref('')
const words = computed(() => wanted.value.toLowerCase().split(/\s+/).filter(Boolean))
const found = computed(() => {
  if (!words.value.length) return bench.steps.value
  return bench.steps.value.filter(([id, { kind, name, settings }]) => {
    const text = `${name} ${sentenceText(kind, settings, bench.wordsOf(id))}`.toLowerCase()
    return words.value.every((word) => text.includes(word))
  })
})
const rows = computed(() => trailRows(found.value))

/** What is looked for is seen, whatever is folded. */
function isFolded(group: string | undefined): boolean {
  return group !== undefined && !words.value.length && bench.view.folded.includes(group)
}
const shown = computed(() => found.value.filter(([, { group }]) => !isFolded(group)))

function fold(group: string | undefined): void {
  if (group !== undefined) bench.view.folded = toggled(bench.view.folded, group)
}
/** Few steps are found by eye. */
const MANY = 9

/** With Ctrl; Shift puts settings instead of the look. */
function onControl(event: KeyboardEvent, id: string): boolean {
  const { acts, edits } = bench
  const wantedAct = {
    c: () => acts.carry(id),
    v: () => (event.shiftKey ? acts.putSettings(id) : acts.putLook(id)),
    d: () => (event.shiftKey ? void acts.duplicateTree(id) : edits.duplicate(id)),
  }[event.key.toLowerCase()]
  wantedAct?.()
  return wantedAct !== undefined
}

function mark(by: number): void {
  const ids = shown.value.map(([id]) => id)
  const from = bench.selected.value
  const to = ids[Math.min(Math.max(ids.indexOf(from ?? '') + by, 0), ids.length - 1)]
  if (from === null || to === undefined) return
  bench.acts.mark(to)
  bench.selected.value = to
}

function onKey(event: KeyboardEvent): void {
  const id = bench.selected.value
  const acts: Record<string, (() => void) | undefined> = {
    ArrowDown: () => (event.altKey && id ? bench.edits.move(id, 1) : event.shiftKey ? mark(1) : select(1)),
    ArrowUp: () => (event.altKey && id ? bench.edits.move(id, -1) : event.shiftKey ? mark(-1) : select(-1)),
    ArrowRight: () => walkTokens(1),
    ArrowLeft: () => walkTokens(-1),
    Escape: () => list.value?.focus(),
    Enter: document.activeElement === list.value ? () => tokens()[0]?.click() : undefined,
    Delete: id ? () => bench.acts.remove(id) : undefined,
    F2: id ? () => void items.get(id)?.beginNaming() : undefined,
    m: id ? () => bench.acts.setFlags(id, 'isMuted', !bench.current.value!.steps[id]!.isMuted) : undefined,
    o: id ? () => bench.acts.onlyThis(id) : undefined,
    i: id ? () => emit('palette', id) : undefined,
    g: id ? () => bench.acts.group(id) : undefined,
    G: id ? () => fold(bench.current.value!.steps[id]!.group) : undefined,
    u: id ? () => bench.edits.putUnderAll(id) : undefined,
    h: id ? () => bench.acts.setFlags(id, 'isShown', !bench.current.value!.steps[id]!.isShown) : undefined,
  }
  if (event.target instanceof HTMLInputElement || event.target instanceof HTMLTextAreaElement) return
  if (event.ctrlKey || event.metaKey) {
    if (id && onControl(event, id)) event.preventDefault()
    return
  }
  const act = acts[event.key]
  if (!act) return
  event.preventDefault()
  act()
}

onKeyStroke('F6', () => list.value?.focus(), { target: list })
defineExpose({ focus: () => list.value?.focus() })
</script>

<template>
  <section class="flex min-h-0 flex-1 flex-col" aria-label="Trail">
    <div class="flex px-3.5 pb-1 pt-2 text-[12px] font-semibold text-mute">
      Trail
      <span class="ml-auto font-normal"
        >{{ bench.steps.value.length }} {{ bench.steps.value.length === 1 ? 'step' : 'steps'
        }}<template v-if="cautions"> · {{ cautions }} with a remark</template></span
      >
    </div>
    <input
      v-if="bench.steps.value.length >= MANY || wanted"
      v-model="wanted"
      class="field mx-3.5 mb-1 h-6 text-[12px]"
      placeholder="Find a step"
      aria-label="Find a step"
      @keydown.esc="wanted = ''"
    />
    <div
      ref="list"
      role="list"
      tabindex="0"
      data-trail
      class="min-h-0 flex-1 overflow-y-auto pb-2 outline-offset-[-2px]"
      aria-label="Steps; arrow keys move, Enter edits"
      @keydown="onKey"
    >
      <template v-for="{ id, step, group } in rows" :key="id">
        <TrailGroup v-if="group" :group="group" :is-folded="isFolded(group.name)" @fold="fold(group.name)" />
        <StepItem
          v-if="!isFolded(step.group)"
          :ref="(item) => (item ? items.set(id, item as InstanceType<typeof StepItem>) : items.delete(id))"
          :id="id"
          :step="step"
          :depth="depthOf(id)"
          :is-selected="bench.selected.value === id"
          :class="{ 'border-l-2 border-l-line': step.group !== undefined }"
          @insert="emit('palette', id)"
        />
      </template>
      <button
        type="button"
        class="ml-[44px] mt-2 w-[calc(100%-58px)] border-t border-dashed border-line pt-2 text-left text-[12px] text-mute hover:text-ink"
        @click="emit('palette', null)"
      >
        Add a step, e.g. <span class="num text-ink">slice z 1.2 speed</span>
      </button>
    </div>
  </section>
</template>
