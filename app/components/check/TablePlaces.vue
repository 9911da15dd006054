<script setup lang="ts">
/** Makes points or a line of the rows of a table: the columns of their places are chosen by hand. */
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue'
import { readTable } from '~~/core/formats/table'
import type { Table } from '~~/core/formats/table'
import { likelyPlaces, placedTable } from '~~/core/formats/placedTable'
import type { PlaceColumns } from '~~/core/formats/placedTable'
import type { CaseCheck } from '~/composables/useCaseCheck'
import { useUpload } from '~/composables/useUpload'

const props = defineProps<{ check: CaseCheck }>()
const part = computed(() => props.check.catalogue.value!.parts.find(({ abscissa }) => abscissa)!)
const table = shallowRef<Table | null>(null)
const names = computed(() => table.value?.columns.map(({ name }) => name) ?? [])
const places = ref<PlaceColumns['places']>([null, null, null])
const unit = ref('m')
const isLine = ref(true)
const lengths = ['m', 'mm', 'cm', 'µm', 'in', 'ft']
const problem = ref('')
const isBusy = ref(false)

async function attempt(work: () => Promise<unknown>): Promise<void> {
  problem.value = ''
  isBusy.value = true
  await work().catch((error: Error) => (problem.value = error.message))
  isBusy.value = false
}

/** The table as it was read, with what its rows stand along under its own name. */
const load = (): Promise<void> =>
  attempt(async () => {
    const { fields } = props.check.catalogue.value!
    const own = fields.filter((field) => field.parts.includes(part.value.name)).map(({ name }) => name)
    const asked = { part: part.value.name, fields: own, moment: 0, format: 'csv' }
    const file = await api.file(`/api/cases/${props.check.row.value!.id}/part`, asked)
    const { columns, ...rest } = readTable(await file.text(), part.value.name)
    const [along, , , ...others] = columns
    const { name, unit: alongUnit } = part.value.abscissa!
    table.value = { ...rest, columns: [{ ...along!, name, unit: alongUnit }, ...others] }
    places.value = likelyPlaces(names.value)
    const said = table.value.columns.find((column) => column.name === places.value[0])?.unit ?? ''
    unit.value = lengths.includes(said) ? said : 'm'
  })

function choose(d: number, event: Event): void {
  const name = (event.target as HTMLSelectElement).value || null
  places.value = places.value.map((own, i) => (i === d ? name : own)) as unknown as PlaceColumns['places']
}

/** A case of its own, so that what was read stays as it is. */
const make = (): Promise<void> =>
  attempt(async () => {
    const text = placedTable(table.value!, { places: places.value, unit: unit.value, isLine: isLine.value })
    const name = `${props.check.row.value!.name}, ${isLine.value ? 'line' : 'points'}`
    const file = new File([text], `${name.replaceAll('/', ' ')}.csv`, { type: 'text/csv' })
    const files = await useUpload().upload([{ path: file.name, file }])
    const { id } = await api.send<{ id: string }>('POST', '/api/cases', { name, folder: 'uploads', files })
    await navigateTo(`/case/${id}`)
  })
</script>

<template>
  <Popover class="relative">
    <PopoverButton class="quiet">Places from columns…</PopoverButton>
    <PopoverPanel class="pop absolute right-0 top-8 w-64 p-3! text-left" focus @vue:before-mount="load">
      <form class="grid gap-2 text-[12px]" aria-label="Places from columns" @submit.prevent="make">
        <label v-for="(axis, d) in ['x', 'y', 'z']" :key="axis" class="flex items-center gap-2"
          >{{ axis }}
          <select class="field num ml-auto w-40" :value="places[d] ?? ''" :aria-label="`Column of ${axis}`" @change="choose(d, $event)">
            <option value="">none, 0</option>
            <option v-for="name in names" :key="name" :value="name">{{ name }}</option>
          </select></label
        >
        <label class="flex items-center gap-2"
          >In
          <select v-model="unit" class="field num ml-auto w-40" aria-label="Unit of the places">
            <option v-for="own in lengths" :key="own" :value="own">{{ own }}</option>
          </select></label
        >
        <label class="flex items-center gap-1.5"
          ><input v-model="isLine" type="checkbox" class="accent-pine" />joined to a line in the order of the rows</label
        >
        <button type="submit" class="act justify-center" :disabled="isBusy || !table">
          {{ isBusy ? 'Wait…' : isLine ? 'Make a line' : 'Make points' }}
        </button>
        <p v-if="problem" role="alert" class="text-brick">{{ problem }}</p>
      </form>
    </PopoverPanel>
  </Popover>
</template>
