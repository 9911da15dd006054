<script setup lang="ts">
/** A token that opens a list: one choice, or several with ticks. */
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue'
import { Check } from 'lucide-vue-next'
import type { VNodeRef } from 'vue'
import { keepInside } from '~/composables/keepInside'
import { walkList } from '~/composables/walkList'
import type { Choice } from '~/composables/useVariables'

const props = defineProps<{
  label: string
  title: string
  choices: readonly Choice[]
  selected: readonly string[]
  isList?: boolean
  isMissing?: boolean
}>()
const emit = defineEmits<{ choose: [values: string[]] }>()

function toggle(value: string, close: () => void): void {
  if (!props.isList) {
    emit('choose', [value])
    close()
    return
  }
  emit('choose', toggled(props.selected, value))
}
</script>

<template>
  <Popover class="relative inline" v-slot="{ close }">
    <PopoverButton
      class="token max-w-60 truncate align-bottom"
      data-token
      :class="{ 'text-amber-text!': isMissing }"
      :aria-label="`${title}: ${label}`"
      @click.stop
      >{{ label }}</PopoverButton
    >
    <PopoverPanel :ref="keepInside as VNodeRef" class="pop absolute left-0 top-6 max-h-72 w-60 overflow-auto" focus>
      <div
        role="listbox"
        :aria-label="title"
        :aria-multiselectable="isList"
        @keydown="(event: KeyboardEvent) => walkList(event, '[role=option]')"
      >
        <button
          v-for="choice in choices"
          :key="choice.value"
          role="option"
          :aria-selected="selected.includes(choice.value)"
          type="button"
          class="flex w-full items-baseline gap-1.5 rounded px-1.5 py-1 text-left hover:bg-pine-wash focus:bg-pine-wash"
          @click.stop="toggle(choice.value, close)"
        >
          <Check
            :size="13"
            class="shrink-0 self-center text-pine"
            :class="{ invisible: !selected.includes(choice.value) }"
            aria-hidden="true"
          />
          <span class="truncate">{{ choice.label }}</span>
          <span class="ml-auto max-w-32 shrink-0 truncate pl-2 text-[11.5px] text-mute">{{ choice.hint }}</span>
        </button>
        <p v-if="!choices.length" class="px-2 py-1.5 text-mute">Nothing in the study fits here.</p>
      </div>
      <slot />
    </PopoverPanel>
  </Popover>
</template>
