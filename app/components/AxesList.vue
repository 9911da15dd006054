<script setup lang="ts">
/** Axes of the study, which formulas use by their names: `in("Axes 1", U).t`. */
import { Trash2 } from 'lucide-vue-next'
import { boxCentre } from '~~/core/mesh/boxes'
import { caseBox } from '~~/core/study/defaults'
import { renameAxes } from '~~/core/study/renameVariable'
import { freshId, ranked, rankBetween } from '~~/core/study/studyModel'
import type { StudyAxes } from '~~/core/study/studyModel'
import type { Vector } from '~~/core/mesh/vectors'
import TokenDirection from './tokens/TokenDirection.vue'
import TokenMenu from './tokens/TokenMenu.vue'
import TokenNumber from './tokens/TokenNumber.vue'
import TokenPosition from './tokens/TokenPosition.vue'
import TokenText from './tokens/TokenText.vue'

const bench = useBench()
const list = computed(() => ranked(bench.current.value?.axes ?? {}))
const kinds = [
  { value: 'cartesian', label: 'Cartesian', hint: '.x .y .z' },
  { value: 'cylindrical', label: 'cylindrical', hint: '.r .t .z' },
  { value: 'spherical', label: 'spherical', hint: '.r .t .p' },
]

/** Cylindrical ones about the middle of everything. */
function add(): void {
  const { axes } = bench.document.value!
  const names = Object.values(axes).map(({ name }) => name)
  let n = 1
  while (names.includes(`Axes ${n}`)) n++
  const catalogue = bench.cases.catalogue.value
  const origin = (catalogue ? boxCentre(caseBox(catalogue)).map((x) => Number(x.toPrecision(4))) : [0, 0, 0]) as Vector
  const own: StudyAxes = {
    ...{ name: `Axes ${n}`, rank: rankBetween(list.value.at(-1)?.[1].rank, undefined), kind: 'cylindrical' },
    ...{ origin, z: [0, 0, 1], x: [1, 0, 0], rotation: 0 },
  }
  void bench.store.edit(`Add ${own.name}`, (study) => void (study.axes[freshId(own.name, study.axes)] = own))
}

function change(id: string, part: Partial<StudyAxes>): void {
  void bench.store.edit(`Change ${bench.document.value!.axes[id]!.name}`, (study) => void Object.assign(study.axes[id]!, part))
}

function rename(id: string, to: string): void {
  const from = bench.document.value!.axes[id]!.name
  void bench.store.edit(`Rename ${from}`, (study) => {
    study.axes[id]!.name = to
    renameAxes(study, from, to)
  })
}

function readName(id: string, text: string): string[] | string {
  const name = text.trim()
  if (!name || name.includes('"')) return 'Write a name, without quotes.'
  const isTaken = list.value.some(([other, own]) => other !== id && own.name === name)
  return isTaken ? `There already are axes “${name}”.` : [name]
}

function remove(id: string): void {
  void bench.store.edit(`Delete ${bench.document.value!.axes[id]!.name}`, (study) => void delete study.axes[id])
}

defineExpose({ add })
</script>

<template>
  <section v-if="list.length" aria-label="Axes" class="pb-1 text-[12px]">
    <div class="px-3.5 pt-1 font-semibold text-mute">Axes</div>
    <div v-for="[id, own] in list" :key="id" class="group flex gap-2 pl-6 pr-3.5 leading-[20px]" :data-axes="id">
      <p class="min-w-0 flex-1">
        <TokenText
          title="Name"
          :shown="own.name"
          :said="own.name"
          :written="() => own.name"
          :read="(text) => readName(id, text)"
          @commit="([name]) => rename(id, name!)"
        />
        is
        <TokenMenu
          :label="own.kind === 'cartesian' ? 'Cartesian' : own.kind"
          title="Kind"
          :choices="kinds"
          :selected="[own.kind]"
          @choose="([kind]) => change(id, { kind: kind as StudyAxes['kind'] })"
        />
        about
        <TokenDirection :value="own.z as Vector" title="z axis" @commit="(z) => change(id, { z: z as Vector })" />
        through
        <TokenPosition
          :value="own.origin"
          :unit="bench.cases.lengthUnit.value"
          title="Origin"
          @commit="(origin) => change(id, { origin: origin as Vector })"
        />, angles from <TokenDirection :value="own.x as Vector" title="x axis" @commit="(x) => change(id, { x: x as Vector })" />, turning
        <TokenNumber :value="own.rotation" unit="" title="Turns per second" @commit="(rotation) => change(id, { rotation })" />
        times a second
      </p>
      <button
        type="button"
        class="icon hidden size-5! group-focus-within:grid group-hover:grid"
        :aria-label="`Delete ${own.name}`"
        @click="remove(id)"
      >
        <Trash2 :size="12" />
      </button>
    </div>
  </section>
</template>
