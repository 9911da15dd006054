<script setup lang="ts">
/** Takes another case or table of the library into the study. */
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/vue'
import { Plus } from 'lucide-vue-next'
import { sizeOfCase } from '~/composables/sizeOfCase'
import { useAddable } from '~/composables/useAddable'

const bench = useBench()
const { rows, addable, problem, load } = useAddable()
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
