<script setup lang="ts">
/** The cases of the study; the chosen one is shown and measured. */
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue'
import { Link2, Settings2 } from 'lucide-vue-next'
import { ranked } from '~~/core/study/studyModel'
import AddCase from './AddCase.vue'
import CaseBindings from './CaseBindings.vue'
import CaseUnits from './CaseUnits.vue'

const bench = useBench()
const cases = computed(() => (bench.document.value ? ranked(bench.document.value.cases) : []))
</script>

<template>
  <div class="flex items-start px-3.5 pb-1 pt-2.5">
    <div class="flex min-w-0 flex-1 flex-wrap items-center gap-1" role="radiogroup" aria-label="Case">
      <button
        v-for="[id, entry] in cases"
        :key="id"
        type="button"
        role="radio"
        :aria-checked="bench.view.caseId === id"
        class="flex h-6 items-center gap-1.5 rounded-full border bg-panel pl-[7px] pr-2 text-[12px]"
        :class="bench.view.caseId === id ? 'border-ink' : 'border-line'"
        @click="bench.cases.choose(id)"
      >
        <span class="size-[9px] rounded-full" :style="{ background: entry.colour }" />{{ entry.name
        }}<span v-if="entry.isBase" class="text-[11px] text-mute">base</span>
      </button>
    </div>
    <AddCase />
    <Popover class="relative">
      <PopoverButton
        class="icon size-6!"
        aria-label="Cases and bindings"
        title="Cases of the study, and what they call its parts and variables"
        ><Link2 :size="14"
      /></PopoverButton>
      <PopoverPanel class="pop absolute left-0 top-7 max-h-[75vh] w-[620px] max-w-[calc(100vw-360px)] overflow-auto p-3!" focus
        ><CaseBindings
      /></PopoverPanel>
    </Popover>
    <Popover v-if="bench.cases.catalogue.value" class="relative">
      <PopoverButton class="icon size-6!" aria-label="Units of this case" title="Units of this case"
        ><Settings2 :size="14"
      /></PopoverButton>
      <PopoverPanel class="pop absolute left-0 top-7 w-72 p-2.5!" focus><CaseUnits /></PopoverPanel>
    </Popover>
  </div>
</template>
