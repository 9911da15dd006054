<script setup lang="ts">
/** Takes another case or table of the library into the study. */
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/vue'
import { Plus } from 'lucide-vue-next'
import type { Catalogue } from '~~/core/case/catalogue'
import { sizeOfCase } from '~/composables/sizeOfCase'

interface CaseRow {
  id: string
  name: string
  state: string
  catalogue: Catalogue | null
}

const bench = useBench()
/** Null while they are asked for. */
const rows = shallowRef<CaseRow[] | null>(null)
const problem = ref('')
const addable = computed(() => {
  const own = Object.values(bench.document.value?.cases ?? {}).map((entry) => entry.case)
  return (rows.value ?? []).filter((row) => row.state === 'ready' && !own.includes(row.id))
})

async function load(): Promise<void> {
  problem.value = ''
  rows.value = await api.get<CaseRow[]>('/api/cases').catch((error: Error) => {
    problem.value = error.message
    return []
  })
}
</script>

<template>
  <Menu as="div" class="relative">
    <MenuButton class="icon size-6!" aria-label="Add a case or a table" title="Add a case or a table of the library to the study"
      ><Plus :size="14"
    /></MenuButton>
    <MenuItems class="pop absolute right-0 top-7 max-h-[60vh] w-72 overflow-auto" @vue:before-mount="load">
      <MenuItem v-for="row in addable" :key="row.id" v-slot="{ active }"
        ><button
          type="button"
          class="block w-full rounded px-2 py-1 text-left"
          :class="{ 'bg-pine-wash': active }"
          @click="bench.cases.add(row.id)"
        >
          {{ row.name }}<span v-if="row.catalogue" class="num block truncate text-[11.5px] text-mute">{{ sizeOfCase(row.catalogue) }}</span>
        </button></MenuItem
      >
      <p v-if="rows && !addable.length && !problem" class="px-2 py-1 text-mute">All cases of the library are in this study.</p>
      <p v-if="problem" role="alert" class="px-2 py-1 text-brick">{{ problem }}</p>
      <MenuItem v-slot="{ active }"
        ><NuxtLink to="/" class="block rounded px-2 py-1 text-pine" :class="{ 'bg-pine-wash': active }"
          >Bring files into the library…</NuxtLink
        ></MenuItem
      >
    </MenuItems>
  </Menu>
</template>
