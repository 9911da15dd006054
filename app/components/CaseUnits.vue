<script setup lang="ts">
/** Units of the case's lengths and fields. They belong to the case, not to the study. */
import { parseUnit } from '~~/core/fields/units'

const bench = useBench()
const catalogue = computed(() => bench.catalogue.value!)
const fields = computed(() => catalogue.value.fields.filter((f, i, all) => all.findIndex((g) => g.name === f.name) === i))
const problem = ref('')

async function set(change: { lengthUnit?: string | null; units?: Record<string, string | null> }, text: string): Promise<void> {
  problem.value = text && !parseUnit(text) ? `“${text}” is not a unit; write for example m/s, kg/m^3 or °C.` : ''
  if (problem.value) return
  await api.send('PATCH', `/api/cases/${bench.attached.value!.id}`, change).catch((error: Error) => (problem.value = error.message))
  await bench.store.reloadCases()
}

function textOf(event: Event): string {
  return (event.target as HTMLInputElement).value.trim()
}
</script>

<template>
  <div class="grid grid-cols-[1fr_92px] items-center gap-x-2 gap-y-1 text-[12px]" aria-label="Units">
    <label for="unit-length">Lengths <span v-if="catalogue.lengthUnitFrom === 'guess'" class="text-amber-text">to be set</span></label>
    <input id="unit-length" class="field num" :value="catalogue.lengthUnit ?? ''" placeholder="unknown" @change="set({ lengthUnit: textOf($event) || null }, textOf($event))" />
    <template v-for="field in fields" :key="field.name">
      <label :for="`unit-${field.name}`" class="truncate">{{ field.name }} <span class="text-mute">{{ field.kind }}, {{ field.place }}s</span></label>
      <input :id="`unit-${field.name}`" class="field num" :value="field.unit ?? ''" placeholder="unknown" @change="set({ units: { [field.name]: textOf($event) || null } }, textOf($event))" />
    </template>
    <p v-if="problem" role="alert" class="col-span-2 text-brick">{{ problem }}</p>
  </div>
</template>
