<script setup lang="ts">
/** The trail: one Tab stop; arrows move between steps and tokens. */
import { onKeyStroke } from '@vueuse/core'
import type { InputRef } from '~~/core/study/studyModel'
import { stepKind } from '~~/core/steps'
import StepItem from './StepItem.vue'

const emit = defineEmits<{ palette: [] }>()
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
  const ids = bench.steps.value.map(([id]) => id)
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

function onKey(event: KeyboardEvent): void {
  const id = bench.selected.value
  const acts: Record<string, (() => void) | undefined> = {
    ArrowDown: () => (event.altKey && id ? bench.edits.move(id, 1) : select(1)),
    ArrowUp: () => (event.altKey && id ? bench.edits.move(id, -1) : select(-1)),
    ArrowRight: () => walkTokens(1),
    ArrowLeft: () => walkTokens(-1),
    Escape: () => list.value?.focus(),
    Enter: document.activeElement === list.value ? () => tokens()[0]?.click() : undefined,
    Delete: id ? () => bench.edits.remove(id) : undefined,
    F2: id ? () => void items.get(id)?.beginNaming() : undefined,
    m: id ? () => bench.edits.setFlag(id, 'isMuted', !bench.current.value!.steps[id]!.isMuted) : undefined,
    u: id ? () => bench.edits.putUnderAll(id) : undefined,
    h: id ? () => bench.edits.setFlag(id, 'isShown', !bench.current.value!.steps[id]!.isShown) : undefined,
  }
  if (event.key === 'd' && (event.ctrlKey || event.metaKey) && id) acts['d'] = () => bench.edits.duplicate(id)
  const isField = event.target instanceof HTMLInputElement || event.target instanceof HTMLTextAreaElement
  const act = isField ? undefined : acts[event.key]
  if (!act || ((event.ctrlKey || event.metaKey) && event.key !== 'd')) return
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
    <div
      ref="list"
      role="list"
      tabindex="0"
      data-trail
      class="min-h-0 flex-1 overflow-y-auto pb-2 outline-offset-[-2px]"
      aria-label="Steps; arrow keys move, Enter edits"
      @keydown="onKey"
    >
      <StepItem
        v-for="[id, step] in bench.steps.value"
        :key="id"
        :ref="(item) => (item ? items.set(id, item as InstanceType<typeof StepItem>) : items.delete(id))"
        :id="id"
        :step="step"
        :depth="depthOf(id)"
        :is-selected="bench.selected.value === id"
      />
      <button
        type="button"
        class="ml-[44px] mt-2 w-[calc(100%-58px)] border-t border-dashed border-line pt-2 text-left text-[12px] text-mute hover:text-ink"
        @click="emit('palette')"
      >
        Add a step, e.g. <span class="num text-ink">slice z 1.2 speed</span>
      </button>
    </div>
  </section>
</template>
