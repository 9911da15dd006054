<script setup lang="ts">
/** What a pane shows and how it is linked with the others; splits, swaps and closes it. */
import { Columns2, Grid2x2, Rows2, Square, X } from 'lucide-vue-next'
import { ranked } from '~~/core/study/studyModel'
import ChoiceRow from './ChoiceRow.vue'

const emit = defineEmits<{ done: [] }>()
const bench = usePane()
const { panes } = bench
const now = bench.pane
const cases = computed(() => ranked(bench.document.value?.cases ?? {}).filter(([id]) => panes.isDrawn(id)))
const others = computed(() => panes.panes.value.filter(({ id }) => id !== now.value.id))
const hasSeveral = computed(() => others.value.length > 0)

function choose(event: Event): void {
  const id = (event.target as HTMLSelectElement).value
  panes.work(now.value.id)
  bench.cases.choose(id)
}

function swipeWith(event: Event): void {
  const value = (event.target as HTMLSelectElement).value
  panes.swipe(now.value.id, value || null)
}

const links = [
  { value: false, label: 'linked' },
  { value: true, label: 'its own' },
]

function isOther(is: boolean, known = false): boolean {
  return is !== known
}

function act(run: () => void): void {
  run()
  emit('done')
}
</script>

<template>
  <div class="grid grid-cols-[84px_minmax(0,1fr)] items-center gap-x-2 gap-y-1.5 text-[12px] text-ink">
    <template v-if="hasSeveral">
      <label :for="`pane-name-${now.id}`">Name</label>
      <input
        :id="`pane-name-${now.id}`"
        class="field h-6"
        :value="now.pane?.name ?? ''"
        :placeholder="now.name"
        @change="panes.change(now.id, 'Rename', { name: ($event.target as HTMLInputElement).value.trim() || undefined })"
      />
    </template>
    <label :for="`pane-case-${now.id}`">Case</label>
    <select :id="`pane-case-${now.id}`" class="field" :value="now.caseId" @change="choose">
      <option v-for="[id, { name }] in cases" :key="id" :value="id">{{ name }}</option>
    </select>
    <template v-if="hasSeveral">
      <span>View</span>
      <ChoiceRow
        label="View"
        :choices="links"
        :value="now.pane?.hasOwnView ?? false"
        @choose="(is) => isOther(is, now.pane?.hasOwnView) && panes.linkView(now)"
      />
      <span>Moment</span>
      <ChoiceRow
        label="Moment"
        :choices="links"
        :value="now.pane?.moment !== undefined"
        @choose="(is) => isOther(is, now.pane?.moment !== undefined) && panes.linkMoment(now)"
      />
      <span>Ranges</span>
      <ChoiceRow
        label="Ranges"
        :choices="[
          { value: false, label: 'shared' },
          { value: true, label: 'its own' },
        ]"
        :value="now.pane?.hasOwnRanges ?? false"
        @choose="(is) => panes.change(now.id, is ? 'Own ranges in' : 'Shared ranges in', { hasOwnRanges: is || undefined })"
      />
      <label :for="`pane-swap-${now.id}`">Swap with</label>
      <select
        :id="`pane-swap-${now.id}`"
        class="field"
        value=""
        @change="act(() => panes.swap(now.id, ($event.target as HTMLSelectElement).value))"
      >
        <option value="" disabled>choose a pane</option>
        <option v-for="{ id, number, name } in others" :key="id" :value="id">{{ number }}: {{ name }}</option>
      </select>
    </template>
    <template v-if="cases.length > 1 && now.pane">
      <label :for="`pane-swipe-${now.id}`">Swipe over</label>
      <select :id="`pane-swipe-${now.id}`" class="field" :value="now.pane.swipe?.case ?? ''" @change="swipeWith">
        <option value="">nothing</option>
        <option v-for="[id, { name }] in cases.filter(([id]) => id !== now.caseId)" :key="id" :value="id">{{ name }}</option>
      </select>
    </template>
    <span class="col-span-2 mt-1 grid gap-0.5 border-t border-line pt-1.5">
      <button
        type="button"
        class="flex items-center gap-2 rounded px-1.5 py-1 text-left hover:bg-pine-wash"
        @click="act(() => panes.split(now.id, true))"
      >
        <Columns2 :size="14" /> Split, beside
      </button>
      <button
        type="button"
        class="flex items-center gap-2 rounded px-1.5 py-1 text-left hover:bg-pine-wash"
        @click="act(() => panes.split(now.id, false))"
      >
        <Rows2 :size="14" /> Split, below
      </button>
      <button
        v-if="cases.length > 1"
        type="button"
        class="flex items-center gap-2 rounded px-1.5 py-1 text-left hover:bg-pine-wash"
        @click="act(panes.perCase)"
      >
        <Grid2x2 :size="14" /> A pane for each case
      </button>
      <template v-if="hasSeveral">
        <button
          type="button"
          class="flex items-center gap-2 rounded px-1.5 py-1 text-left hover:bg-pine-wash"
          @click="act(() => panes.only(now.id))"
        >
          <Square :size="14" /> This pane only
        </button>
        <button
          type="button"
          class="flex items-center gap-2 rounded px-1.5 py-1 text-left hover:bg-pine-wash"
          @click="act(() => panes.close(now.id))"
        >
          <X :size="14" /> Close
        </button>
      </template>
    </span>
  </div>
</template>
