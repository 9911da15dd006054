<script setup lang="ts">
/** A unit that can be chosen or typed; a guess is marked. */
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue'
import { parseUnit } from '~~/core/units/units'

const props = defineProps<{ unit: string | null; isGuess: boolean; choices: readonly string[]; label: string }>()
const emit = defineEmits<{ choose: [unit: string | null] }>()

const text = ref('')
const problem = ref('')

function typed(close: () => void): void {
  const unit = text.value.trim()
  problem.value = unit && !parseUnit(unit) ? `“${unit}” is not a unit; write for example m/s, kg/m^3 or °C.` : ''
  if (problem.value) return
  choose(unit || null, close)
}

function choose(unit: string | null, close: () => void): void {
  text.value = ''
  emit('choose', unit)
  close()
}
const shown = computed(() => (props.unit === null ? 'unknown' : props.unit === '1' ? 'none' : props.unit))
</script>

<template>
  <Popover class="relative inline-block" v-slot="{ close }">
    <PopoverButton
      class="num whitespace-nowrap px-1"
      :class="isGuess || unit === null ? 'rounded bg-amber-wash text-amber-text' : 'border-b border-dashed border-mute/60 text-pine'"
      :aria-label="`${label}: ${shown}${isGuess ? ', a guess' : ''}`"
      >{{ shown }}{{ isGuess ? ' ?' : '' }}</PopoverButton
    >
    <PopoverPanel class="pop absolute left-0 top-6 w-44 p-2!" focus>
      <div class="flex flex-wrap gap-1">
        <button
          v-for="choice in choices"
          :key="choice"
          type="button"
          class="num rounded border border-line px-1.5 py-0.5 hover:bg-pine-wash"
          :class="{ 'border-pine! text-pine': choice === unit && !isGuess }"
          @click="choose(choice, close)"
        >
          {{ choice === '1' ? 'none' : choice }}
        </button>
      </div>
      <form class="mt-2 flex gap-1" @submit.prevent="typed(close)">
        <input v-model="text" class="field num w-full min-w-0" :aria-label="`${label}, typed`" placeholder="other unit" />
        <button type="submit" class="quiet">Set</button>
      </form>
      <p v-if="problem" role="alert" class="mt-1 text-brick">{{ problem }}</p>
    </PopoverPanel>
  </Popover>
</template>
