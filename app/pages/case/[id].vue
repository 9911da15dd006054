<script setup lang="ts">
/** The data check: what came in, before any work. */
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/vue'
import { ChevronDown } from 'lucide-vue-next'
import { boxSize } from '~~/core/check/cautions'
import { formatCount, formatNumber } from '~~/core/colour/ticks'
import { cellWords } from '~~/core/mesh/cellWords'
import { likelyUnits } from '~~/core/units/quantities'
import BrandMark from '~/components/BrandMark.vue'
import CautionsCard from '~/components/check/CautionsCard.vue'
import FieldsCard from '~/components/check/FieldsCard.vue'
import MeshCard from '~/components/check/MeshCard.vue'
import PartsCards from '~/components/check/PartsCards.vue'
import TablePlaces from '~/components/check/TablePlaces.vue'
import UnitToken from '~/components/check/UnitToken.vue'

interface StudyRow {
  id: string
  name: string
  caseIds: string[]
}

const id = String(useRoute().params['id'])
const check = useCaseCheck(id)
const { row, problem, catalogue } = check
const studies = shallowRef<StudyRow[]>([])
useHead({ title: computed(() => `${row.value?.name ?? 'Case'} – data check`) })

onMounted(() => check.attempt(async () => void (studies.value = await api.get<StudyRow[]>('/api/studies'))))

const own = computed(
  () => catalogue.value?.parts.filter((p) => p.dimension === Math.max(...catalogue.value!.parts.map((q) => q.dimension))) ?? [],
)
const cells = computed(() => own.value.reduce((n, p) => n + p.cells, 0))
const types = computed(() => {
  const names = [...new Set(own.value.flatMap((p) => Object.keys(p.cellTypes)))]
  if (isTable.value) return 'rows'
  return names.length === 1 ? `cells, all ${cellWords(names[0]!)}` : 'cells'
})
const volume = computed(() => {
  const figures = own.value.map((p) => check.parts.value.get(p.name))
  return figures.length && figures.every(Boolean) ? figures.reduce((sum, f) => sum + f!.size, 0) : null
})
const isTable = computed(() => own.value.length > 0 && own.value.every((part) => part.abscissa))
const abscissa = computed(() => own.value[0]?.abscissa)
const size = computed(() => catalogue.value && boxSize(catalogue.value))
const moments = computed(() => catalogue.value?.moments ?? [])
const momentsInWords = computed(() => {
  const [first, last] = [moments.value[0], moments.value[moments.value.length - 1]]
  if (!first || !last || moments.value.length === 1) return 'one moment, steady'
  const name = { time: 'times', mode: 'modes', 'load case': 'load cases', frequency: 'frequencies', step: 'steps' }[first.kind] ?? 'moments'
  const text = (m: typeof first): string => (m.value === null ? m.label : formatNumber(m.value, 5))
  return `${name}, ${text(first)} – ${text(last)}${first.unit && first.kind === last.kind ? ` ${first.unit}` : ''}`
})
const summary = computed(() => {
  const n = (dimension: number, one: string, many: string): string[] => {
    const count = catalogue.value!.parts.filter((p) => p.dimension === dimension && !p.abscissa).length
    return count ? [`${count} ${count === 1 ? one : many}`] : []
  }
  return [
    catalogue.value!.format,
    ...n(3, 'region', 'regions'),
    ...n(2, 'surface', 'surfaces'),
    ...n(1, 'set of lines', 'sets of lines'),
    ...n(0, 'set of points', 'sets of points'),
    ...(catalogue.value!.parts.some((p) => p.abscissa) ? ['XY data'] : []),
  ].join(', ')
})

const open = (study: StudyRow | null): Promise<void> =>
  check.attempt(async () => {
    if (!study)
      study = {
        ...(await api.send<{ id: string }>('POST', '/api/studies', { name: row.value!.name, cases: [id] })),
        name: '',
        caseIds: [id],
      }
    await navigateTo({ path: `/study/${study.id}`, query: study.caseIds.includes(id) ? {} : { add: id } })
  })

const cancel = (): Promise<void> =>
  check.attempt(async () => {
    await api.send('DELETE', `/api/cases/${id}`)
    await navigateTo('/')
  })

const again = (): Promise<void> =>
  check.attempt(async () => {
    const { found } = await api.send<{ found: string }>('POST', `/api/cases/${id}/refresh`)
    notice.value = found
    await check.load()
  })
const notice = ref('')
</script>

<template>
  <div class="min-h-full">
    <header class="flex h-11 items-center gap-2.5 border-b border-line px-3.5">
      <BrandMark /><NuxtLink to="/" class="ml-1 text-mute hover:text-ink">Library</NuxtLink
      ><span class="text-mute" aria-hidden="true">/</span><span class="truncate">{{ row?.name }}</span
      ><span class="flex-1" />
      <button v-if="row?.state !== 'reading'" type="button" class="quiet" @click="again">Look again for new times</button>
      <TablePlaces v-if="isTable && row?.state === 'ready'" :check="check" />
      <Menu v-if="catalogue && row?.state !== 'failed'" as="div" class="relative">
        <MenuButton class="act">Open in study<ChevronDown :size="14" aria-hidden="true" /></MenuButton>
        <MenuItems class="pop absolute right-0 top-8 w-64">
          <MenuItem v-slot="{ active }"
            ><button type="button" class="w-full rounded px-2 py-1.5 text-left" :class="{ 'bg-pine-wash': active }" @click="open(null)">
              In a new study
            </button></MenuItem
          >
          <MenuItem v-for="study in studies" :key="study.id" v-slot="{ active }"
            ><button
              type="button"
              class="w-full truncate rounded px-2 py-1.5 text-left"
              :class="{ 'bg-pine-wash': active }"
              @click="open(study)"
            >
              {{ study.caseIds.includes(id) ? 'Open' : 'Add to' }} “{{ study.name }}”
            </button></MenuItem
          >
        </MenuItems>
      </Menu>
    </header>
    <main class="mx-auto max-w-[1680px] px-6 py-4">
      <p v-if="problem" role="alert" class="card mb-3 border-brick! px-3 py-2 text-brick">{{ problem }}</p>
      <p v-if="notice" role="status" class="card mb-3 px-3 py-2">{{ notice }}</p>
      <p v-if="row?.state === 'failed'" role="alert" class="card border-brick! p-3 text-brick">{{ row.failure }}</p>
      <div v-else-if="row?.state === 'reading'" role="status" class="card mb-4 flex items-center gap-4 p-3.5">
        <span class="h-1.5 w-64 overflow-hidden rounded bg-line"
          ><span class="block h-full bg-pine" :style="{ width: `${100 * (row.progress?.share ?? 0)}%` }"
        /></span>
        {{ row.progress?.what ?? 'waiting'
        }}<span v-if="row.progress?.left != null" class="num text-mute">about {{ Math.max(1, Math.round(row.progress.left)) }} s left</span>
        <button type="button" class="quiet ml-auto" @click="cancel">Cancel</button>
      </div>
      <template v-if="catalogue && row?.state !== 'failed'">
        <div class="mb-3 flex flex-wrap items-end gap-x-8 gap-y-2">
          <div class="min-w-0 flex-1">
            <h1 class="truncate text-[20px] font-semibold">{{ row!.name }}</h1>
            <p class="truncate text-mute">
              {{ summary }} · {{ row!.source[0] }}{{ row!.source.length > 1 ? ` and ${row!.source.length - 1} more` : '' }}
            </p>
          </div>
          <dl class="contents">
            <div class="flex flex-col-reverse">
              <dt class="text-[12px] text-mute">{{ types }}</dt>
              <dd class="num text-[17px]">{{ formatCount(cells) }}</dd>
            </div>
            <div v-if="abscissa" class="flex flex-col-reverse">
              <dt class="text-[12px] text-mute">that the rows stand along</dt>
              <dd class="num text-[17px]">
                {{ abscissa.name }}
                <UnitToken
                  class="text-[13px]"
                  :unit="abscissa.unit"
                  :is-guess="false"
                  :choices="likelyUnits(abscissa.name, 1, abscissa.unit, ['m', 'mm', '1', '°', 's'])"
                  :label="`Unit of ${abscissa.name}`"
                  @choose="(unit) => check.describe({ abscissae: { [own[0]!.name]: unit } })"
                />
              </dd>
            </div>
            <div v-if="volume !== null && !isTable" class="flex flex-col-reverse">
              <dt class="text-[12px] text-mute">{{ ['number', 'length', 'area', 'volume'][own[0]!.dimension] }}</dt>
              <dd class="num text-[17px]">
                {{ formatNumber(volume, 5) }}
                {{ catalogue.lengthUnit && own[0]!.dimension ? `${catalogue.lengthUnit}${['', '', '²', '³'][own[0]!.dimension]}` : '' }}
              </dd>
            </div>
            <div v-if="!isTable" class="flex flex-col-reverse">
              <dt class="text-[12px] text-mute">box and length unit{{ catalogue.lengthUnitFrom === 'guess' ? ', to confirm' : '' }}</dt>
              <dd class="num text-[17px]">
                {{ size ? size.map((x) => formatNumber(x, 4)).join(' × ') : '–' }}
                <UnitToken
                  class="text-[13px]"
                  :unit="catalogue.lengthUnit"
                  :is-guess="catalogue.lengthUnitFrom === 'guess' && catalogue.lengthUnit !== null"
                  :choices="['m', 'mm', 'cm', 'µm', 'in', 'ft']"
                  label="Length unit"
                  @choose="(lengthUnit) => check.describe({ lengthUnit })"
                />
              </dd>
            </div>
            <div class="flex flex-col-reverse">
              <dt class="text-[12px] text-mute">{{ momentsInWords }}</dt>
              <dd class="num text-[17px]">{{ moments.length }}</dd>
            </div>
          </dl>
        </div>
        <div class="grid grid-cols-[minmax(0,1fr)_minmax(320px,388px)] items-start gap-4">
          <div class="grid gap-4"><FieldsCard :check="check" /><MeshCard v-if="!isTable" :check="check" /></div>
          <div class="grid gap-4"><CautionsCard :check="check" /><PartsCards v-if="!isTable" :check="check" /></div>
        </div>
      </template>
    </main>
  </div>
</template>
