<script setup lang="ts">
/** Units the study shows, and those of the case's lengths and fields, which belong to the case. */
import { dimensionKey, quantityOf, unitChoices } from '~~/core/units/quantities'
import { parseUnit } from '~~/core/units/units'
import { placeWords } from '~~/core/case/catalogue'

const bench = useBench()
const catalogue = computed(() => bench.cases.catalogue.value!)
const fields = computed(() => catalogue.value.fields.filter((f, i, all) => all.findIndex((g) => g.name === f.name) === i))
const problem = ref('')

/** One entry for each kind of quantity that the case has: its unit in the file, and the one shown. */
const kinds = computed(() => {
  const found = new Map<string, { name: string; unit: string; shown: string }>()
  const add = (unit: string | null, name: string): void => {
    const parsed = unit === null ? null : parseUnit(unit)
    const key = parsed && dimensionKey(parsed.dimensions)
    if (key && !found.has(key)) found.set(key, { name, unit: unit!, shown: bench.units.display(unit)!.unit })
  }
  add(catalogue.value.lengthUnit, 'length')
  for (const f of fields.value) add(f.unit, quantityOf(f.name, f.components, f.unit) ?? f.name)
  return [...found.values()].filter(({ unit }) => unitChoices(unit).length > 1)
})

async function set(change: { lengthUnit?: string | null; units?: Record<string, string | null> }, text: string): Promise<void> {
  problem.value = text && !parseUnit(text) ? `“${text}” is not a unit; write for example m/s, kg/m^3 or °C.` : ''
  if (problem.value) return
  await api.send('PATCH', `/api/cases/${bench.cases.attached.value!.id}`, change).catch((error: Error) => (problem.value = error.message))
  await bench.store.reloadCases()
}

function textOf(event: Event): string {
  return (event.target as HTMLInputElement).value.trim()
}
</script>

<template>
  <div class="grid max-h-[70vh] grid-cols-[1fr_92px] items-center gap-x-2 gap-y-1 overflow-auto text-[12px]" aria-label="Units">
    <h4 class="col-span-2 font-semibold">Shown in this study</h4>
    <template v-for="kind in kinds" :key="kind.name">
      <label :for="`shown-${kind.name}`">{{ kind.name }}</label>
      <select
        :id="`shown-${kind.name}`"
        class="field num"
        :value="kind.shown"
        @change="bench.units.showIn(kind.unit, ($event.target as HTMLSelectElement).value)"
      >
        <option v-for="choice in unitChoices(kind.unit)" :key="choice" :value="choice">{{ choice === '1' ? 'none' : choice }}</option>
      </select>
    </template>
    <h4 class="col-span-2 mt-2 font-semibold">In the file of this case</h4>
    <label for="unit-length">Lengths <span v-if="catalogue.lengthUnitFrom === 'guess'" class="text-amber-text">to be set</span></label>
    <input
      id="unit-length"
      class="field num"
      :value="catalogue.lengthUnit ?? ''"
      placeholder="unknown"
      @change="set({ lengthUnit: textOf($event) || null }, textOf($event))"
    />
    <template v-for="field in fields" :key="field.name">
      <label :for="`unit-${field.name}`" class="truncate"
        >{{ field.name }} <span class="text-mute">{{ field.kind }}, {{ placeWords(field.place) }}</span></label
      >
      <input
        :id="`unit-${field.name}`"
        class="field num"
        :value="field.unit ?? ''"
        placeholder="unknown"
        @change="set({ units: { [field.name]: textOf($event) || null } }, textOf($event))"
      />
    </template>
    <NuxtLink :to="`/case/${bench.cases.attached.value!.id}`" class="col-span-2 mt-1 text-pine underline"
      >All of it in the data check</NuxtLink
    >
    <p v-if="problem" role="alert" class="col-span-2 text-brick">{{ problem }}</p>
  </div>
</template>
