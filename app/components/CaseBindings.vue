<script setup lang="ts">
/** The cases of the study, and which of their own parts and fields stand for those of the study. */
import { X } from 'lucide-vue-next'
import { bind, bindingRows, setFactor } from '~~/core/study/bindings'
import type { BindingRow } from '~~/core/study/bindings'
import { ranked } from '~~/core/study/studyModel'
import { useAddable } from '~/composables/useAddable'

const bench = useBench()
const study = computed(() => bench.document.value!)
const cases = computed(() => ranked(study.value.cases))
const rows = computed(() => bindingRows(study.value, bench.cases.catalogues.value))
const { addable, problem, load } = useAddable()
/** Factors take room: they are shown where there are some, or when asked for. */
const wantsFactors = ref(false)
const isMultiplied = computed(() => rows.value.some((row) => Object.keys(row.factors).length > 0))
const hasFactors = computed(() => wantsFactors.value || isMultiplied.value)

onMounted(load)

function set(row: BindingRow, caseId: string, event: Event): void {
  const name = (event.target as HTMLSelectElement).value || null
  void bench.store.edit(`Bind ${row.name}`, (draft) => bind(draft, row, caseId, name))
}

function multiply(row: BindingRow, caseId: string, text: string, restore: () => void): void {
  const factor = Number(text || 1)
  if (Number.isFinite(factor) && factor !== 0)
    void bench.store.edit(`Multiply ${row.name}`, (draft) => setFactor(draft, row.id, caseId, factor))
  else restore()
}

function replace(id: string, event: Event): void {
  const box = event.target as HTMLSelectElement
  if (box.value) void bench.cases.replace(id, box.value)
  box.value = ''
}
</script>

<template>
  <div class="text-[12px]" aria-label="Cases and bindings">
    <table class="w-full border-separate border-spacing-x-2 border-spacing-y-1 text-left">
      <thead>
        <tr>
          <th class="font-semibold">In the study</th>
          <th v-for="[id, entry] in cases" :key="id" class="font-semibold">
            <span class="mr-1 inline-block size-[9px] rounded-full" :style="{ background: entry.colour }" /><KeptText
              class="field w-24 px-1! py-0! font-semibold"
              :value="entry.name"
              :aria-label="`Name of the case ${entry.name}`"
              @change="(text) => bench.cases.rename(id, text.trim())"
            />
            <button
              v-if="cases.length > 1"
              type="button"
              class="align-middle text-mute hover:text-brick"
              :aria-label="`Take ${entry.name} out of the study`"
              :title="`Take ${entry.name} out of the study`"
              @click="bench.cases.remove(id)"
            >
              <X :size="12" />
            </button>
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-if="cases.length > 1">
          <th scope="row" class="font-normal">Compared with</th>
          <td v-for="[id, entry] in cases" :key="id">
            <label class="flex items-center gap-1"
              ><input
                type="radio"
                name="base"
                class="accent-pine"
                :checked="entry.isBase"
                :aria-label="`${entry.name} is the base`"
                @change="bench.cases.makeBase(id)"
              />{{ entry.isBase ? 'the base' : '' }}</label
            >
          </td>
        </tr>
        <tr v-if="addable.length">
          <th scope="row" class="font-normal">In its place</th>
          <td v-for="[id, entry] in cases" :key="id">
            <select
              class="field w-full min-w-24 px-1! py-0.5!"
              :aria-label="`Case in place of ${entry.name}`"
              @change="replace(id, $event)"
            >
              <option value="">as it is</option>
              <option v-for="row in addable" :key="row.id" :value="row.id">{{ row.name }}</option>
            </select>
          </td>
        </tr>
        <tr v-for="row in rows" :key="`${row.kind} ${row.id}`">
          <th scope="row" class="max-w-40 truncate font-normal" :title="row.name">
            {{ row.name }} <span class="text-mute">{{ row.kind }}</span>
          </th>
          <td v-for="[id, entry] in cases" :key="id">
            <div class="flex items-center gap-1">
              <select
                class="field num w-full min-w-24 px-1! py-0.5!"
                :class="{ 'bg-amber-wash! text-amber-text!': row.bound[id] === null }"
                :value="row.bound[id] ?? ''"
                :aria-label="`${row.name} in ${entry.name}`"
                @change="set(row, id, $event)"
              >
                <option value="">nothing</option>
                <option v-for="name in row.offers[id]" :key="name" :value="name">{{ name }}</option>
              </select>
              <label
                v-if="hasFactors && row.kind === 'variable' && row.bound[id] !== null"
                class="flex shrink-0 items-center text-mute"
                :title="`${row.name} is this times what ${entry.name} stores`"
                >×<KeptText
                  class="field num w-12 px-1! py-0.5! text-right"
                  inputmode="decimal"
                  placeholder="1"
                  :value="String(row.factors[id] ?? '')"
                  :aria-label="`Factor of ${row.name} in ${entry.name}`"
                  @change="(text, restore) => multiply(row, id, text, restore)"
              /></label>
            </div>
          </td>
        </tr>
      </tbody>
    </table>
    <label v-if="rows.some((row) => row.kind === 'variable')" class="mt-2 flex items-center gap-2"
      ><input
        type="checkbox"
        class="accent-pine"
        :checked="hasFactors"
        :disabled="isMultiplied"
        @change="wantsFactors = ($event.target as HTMLInputElement).checked"
      />Factors, where a case stores a variable in another measure</label
    >
    <p v-if="problem" role="alert" class="mt-1 text-brick">{{ problem }}</p>
  </div>
</template>
