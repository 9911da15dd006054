<script setup lang="ts">
/** What a reading or a curve is taken over, as the end of its sentence. */
import { overWords } from '~~/core/study/over'
import type { Over, OverAxis, ValuesAxis } from '~~/core/study/over'
import type { Step } from '~~/core/study/studyModel'
import TokenMenu from './tokens/TokenMenu.vue'
import TokenNumber from './tokens/TokenNumber.vue'

const props = defineProps<{ id: string; step: Step }>()
const bench = useBench()

const own = computed<readonly OverAxis[]>(() => props.step.over ?? [])
const offers = computed(() => bench.over.choices(props.id))
const choices = computed(() => [
  { value: 'once', label: 'this moment', hint: 'one value' },
  ...offers.value.map(({ label, hint }, i) => ({ value: String(i), label, hint })),
])
const selected = computed(() =>
  own.value.length ? own.value.map((axis) => String(offers.value.findIndex((offer) => bench.over.isSame(offer.axis, axis)))) : ['once'],
)
const label = computed(() => {
  const words = own.value.map((axis) => (axis.is === 'values' ? bench.over.nameOf(axis) : overWords[axis.is]))
  return words.join(' and ') || 'this moment'
})

function choose(values: string[]): void {
  const isOnce = values.includes('once') && !selected.value.includes('once')
  const wanted = isOnce ? [] : values.filter((value) => value !== 'once')
  const next = wanted.map((value) => {
    const { axis } = offers.value[Number(value)]!
    return own.value.find((known) => bench.over.isSame(known, axis)) ?? axis
  })
  bench.edits.takeOver(props.id, next.slice(0, 3) as Over)
}

function change(at: number, part: Partial<Pick<ValuesAxis, 'from' | 'to' | 'count'>>): void {
  bench.edits.takeOver(props.id, own.value.map((axis, i) => (i === at ? { ...axis, ...part } : axis)) as Over)
}
</script>

<template>
  <template v-if="choices.length > 1 || own.length">
    {{ own.length ? ' over ' : ' at '
    }}<TokenMenu :label="label" title="Taken over" :choices="choices" :selected="selected" is-list @choose="choose" />
    <template v-for="(axis, i) in own" :key="i">
      <template v-if="axis.is === 'values'">
        ,
        <TokenNumber
          :value="axis.count"
          unit=""
          title="Number of values"
          is-whole
          @commit="(v) => change(i, { count: Math.min(10000, Math.max(1, v)) })"
        />
        values from
        <TokenNumber :value="axis.from" :unit="bench.over.unitOf(axis) ?? ''" title="From" @commit="(v) => change(i, { from: v })" />
        to
        <TokenNumber :value="axis.to" :unit="bench.over.unitOf(axis) ?? ''" title="To" @commit="(v) => change(i, { to: v })" />
      </template>
    </template>
  </template>
</template>
