<script setup lang="ts">
/** Regions with their material, and surfaces with their role. */
import { roles } from '~~/core/case/roles'
import type { Role } from '~~/core/case/roles'
import { formatNumber } from '~~/core/colour/ticks'
import type { CaseCheck } from '~/composables/useCaseCheck'
import MaterialToken from './MaterialToken.vue'
import PartExport from './PartExport.vue'

const props = defineProps<{ check: CaseCheck }>()
const catalogue = computed(() => props.check.catalogue.value!)
const regions = computed(() => catalogue.value.parts.filter((p) => p.dimension === 3))
const surfaces = computed(() => catalogue.value.parts.filter((p) => p.dimension === 2))
const unit = computed(() => catalogue.value.lengthUnit ?? '')
const alone = computed(() => {
  const paired = props.check.pairs.value.flatMap(({ sides }) => sides)
  return props.check.isPaired.value ? props.check.periodic.value.filter((name) => !paired.includes(name)) : []
})
const size = (part: string): string => {
  const figures = props.check.parts.value.get(part)
  return figures ? formatNumber(figures.size, 4) : '–'
}
const setRole = (part: string, event: Event): void =>
  void props.check.describe({ roles: { [part]: ((event.target as HTMLSelectElement).value || null) as Role | null } })
</script>

<template>
  <section v-if="regions.length" class="card" aria-label="Regions">
    <header class="flex px-3.5 py-2">
      <h2 class="font-semibold">Regions</h2>
      <span class="num ml-auto text-mute">{{ regions.length }}</span>
    </header>
    <table class="w-full text-left">
      <thead class="border-b border-line text-[12px] text-mute">
        <tr>
          <th class="py-1 pl-3.5 font-normal">Name</th>
          <th class="font-normal">Material</th>
          <th class="num text-right font-normal">volume {{ unit }}{{ unit ? '³' : '' }}</th>
          <th class="w-9"><span class="sr-only">Export</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="part in regions" :key="part.name" class="border-b border-line last:border-0">
          <th scope="row" class="max-w-40 truncate py-1.5 pl-3.5 font-normal" :title="part.name">{{ part.name }}</th>
          <td>
            <MaterialToken
              :material="part.material"
              :region="part.name"
              @choose="(material) => check.describe({ materials: { [part.name]: material } })"
            />
          </td>
          <td class="num text-right">{{ size(part.name) }}</td>
          <td class="pl-1 pr-2 text-right"><PartExport v-if="check.row.value?.state === 'ready'" :check="check" :part="part" /></td>
        </tr>
      </tbody>
    </table>
  </section>
  <section v-if="surfaces.length" class="card" aria-label="Surfaces">
    <header class="flex px-3.5 py-2">
      <h2 class="font-semibold">Surfaces</h2>
      <span class="num ml-auto text-mute">{{ surfaces.length }}</span>
    </header>
    <table class="w-full text-left">
      <thead class="border-b border-line text-[12px] text-mute">
        <tr>
          <th class="py-1 pl-3.5 font-normal">Name</th>
          <th class="font-normal">Role</th>
          <th class="num text-right font-normal">area {{ unit }}{{ unit ? '²' : '' }}</th>
          <th class="w-9"><span class="sr-only">Export</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="part in surfaces" :key="part.name" class="border-b border-line last:border-0">
          <th
            scope="row"
            class="max-w-40 truncate py-1.5 pl-3.5 font-normal"
            :title="part.owners?.length ? `bounds ${part.owners.join(' and ')}` : part.name"
          >
            {{ part.name }}
          </th>
          <td>
            <select
              :value="part.role?.is ?? ''"
              class="rounded bg-panel text-pine"
              :class="{ 'bg-amber-wash! text-amber-text!': !part.role || part.role.from === 'guess' }"
              :aria-label="`Role of ${part.name}${part.role?.from === 'guess' ? ', a guess' : ''}`"
              @change="setRole(part.name, $event)"
            >
              <option value="">not set</option>
              <option v-for="role in roles" :key="role" :value="role">
                {{ role }}{{ part.role?.is === role && part.role.from === 'guess' ? ' ?' : '' }}
              </option>
            </select>
          </td>
          <td class="num text-right">{{ size(part.name) }}</td>
          <td class="pl-1 pr-2 text-right"><PartExport v-if="check.row.value?.state === 'ready'" :check="check" :part="part" /></td>
        </tr>
      </tbody>
    </table>
    <p v-for="{ sides, words } in check.pairs.value" :key="sides[0]" class="border-t border-line px-3.5 py-1.5 text-[12px]">
      {{ sides.join(' and ') }} are periodic: {{ words }}
    </p>
    <p v-if="alone.length" class="border-t border-line px-3.5 py-1.5 text-[12px] text-amber-text">
      {{ alone.join(', ') }}: no other periodic side fits, so lines end there
    </p>
  </section>
</template>
