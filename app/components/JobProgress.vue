<script setup lang="ts">
/** How far a job is, with what is left, and its end; it can be stopped and gone on with. */
import { extremesOfTable, meanOfTable } from '~~/core/evaluate/overTable'
import type { TableRow } from '~~/core/evaluate/overTable'

const props = defineProps<{ id: string }>()
const bench = useBench()

const job = computed(() => bench.evaluated.jobs.results.value.get(props.id))
const news = computed(() => job.value?.news)
const failures = computed(() => [...(job.value?.rows.values() ?? [])].filter(({ failure }) => failure !== null))
const table = computed(() => bench.over.tableOf(props.id))
const extremes = computed(() => table.value && extremesOfTable(table.value))
const mean = computed(() => (table.value ? meanOfTable(table.value) : undefined))

/** A row with its place: `0.3 kg/s at Slice 1 z 1.2 m`. */
function told({ at, reading }: TableRow): string {
  const places = table.value!.axes.map(({ name, unit, isNumber }, i) =>
    isNumber ? `${name} ${bench.units.shown(Number(at[i]), unit, 4)}` : String(at[i]),
  )
  return `${bench.units.shown(reading!.value, reading!.unit, 5, reading!.isDifference)} at ${places.join(', ')}`
}

function leftInWords(seconds: number | null): string {
  if (seconds === null) return ''
  return seconds < 90 ? `, ${Math.ceil(seconds)} s left` : `, ${Math.round(seconds / 60)} min left`
}
</script>

<template>
  <div v-if="job" class="mt-1 text-[12px]" @click.stop>
    <p v-if="job.error" role="alert" class="text-brick">{{ job.error }}</p>
    <template v-else-if="news">
      <div v-if="news.state === 'running'" class="flex items-center gap-2 text-mute">
        <progress
          class="h-1.5 flex-1 accent-pine"
          :value="news.done"
          :max="news.total"
          :aria-label="`Progress of ${bench.edits.name(id)}`"
        />
        <span class="num">{{ news.done }} of {{ news.total }}{{ leftInWords(news.left) }}</span>
        <button type="button" class="text-pine underline" @click="bench.evaluated.jobs.cancel(id)">Stop</button>
      </div>
      <p v-else-if="news.state !== 'done'" class="text-amber-text">
        {{ news.failure ?? `Stopped at ${news.done} of ${news.total}.` }}
        <button type="button" class="text-pine underline" @click="bench.evaluated.jobs.resume(id)">Go on</button>
      </p>
      <template v-if="extremes">
        <p class="num">smallest {{ told(extremes.min) }}</p>
        <p class="num">largest {{ told(extremes.max) }}</p>
        <p v-if="mean !== undefined" class="num">
          mean over {{ table!.axes[0]!.name }} {{ bench.units.shown(mean, table!.value.unit, 5, table!.value.isDifference) }}
        </p>
      </template>
      <p v-if="failures.length" class="text-amber-text" :title="failures[0]!.failure ?? ''">
        {{ failures.length }} {{ failures.length === 1 ? 'value has' : 'values have' }} failed: {{ failures[0]!.failure }}
      </p>
    </template>
    <p v-else class="text-mute">waiting…</p>
  </div>
</template>
