<script setup lang="ts">
/** The material of a region: from the list, or its constants by hand. */
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue'
import { materials } from '~~/core/case/materials'
import { formatNumber } from '~~/core/colour/ticks'
import { materialUnits } from '~~/core/case/catalogue'
import type { Material } from '~~/core/case/catalogue'

const props = defineProps<{ material: Material | undefined; region: string }>()
const emit = defineEmits<{ choose: [material: Material | null] }>()

const shown = computed(() => {
  const density = props.material?.constants['density']
  return props.material ? `${props.material.name}${density === undefined ? '' : `, ${formatNumber(density, 5)} kg/m³`}` : 'not set'
})

function setConstant(name: string, text: string): void {
  const value = Number(text.replace(',', '.'))
  const constants = { ...props.material?.constants }
  if (value > 0) constants[name] = value
  else delete constants[name]
  emit('choose', Object.keys(constants).length ? { name: 'by hand', constants } : null)
}
</script>

<template>
  <Popover class="relative inline-block" v-slot="{ close }">
    <PopoverButton
      class="px-1 text-left"
      :class="material ? 'token' : 'num rounded bg-amber-wash text-amber-text'"
      :aria-label="`Material of ${region}: ${shown}`"
      >{{ shown }}</PopoverButton
    >
    <PopoverPanel class="pop absolute right-0 top-6 w-64 p-2!" focus>
      <button
        v-for="choice in materials"
        :key="choice.name"
        type="button"
        class="flex w-full items-baseline rounded px-1.5 py-1 text-left hover:bg-pine-wash"
        @click="(emit('choose', choice), close())"
      >
        {{ choice.name }}<span class="num ml-auto text-[11.5px] text-mute">{{ choice.constants['density'] }} kg/m³</span>
      </button>
      <div class="mt-1 grid grid-cols-[1fr_70px_64px] items-center gap-1 border-t border-line pt-2 text-[12px]">
        <template v-for="(unit, name) in materialUnits" :key="name">
          <label :for="`${region}-${name}`">{{ name.replace('_', ' ') }}</label>
          <KeptText
            :id="`${region}-${name}`"
            class="field num px-1!"
            :value="String(material?.constants[name] ?? '')"
            placeholder="–"
            @change="(text) => setConstant(name, text)"
          /><span class="num text-mute">{{ unit }}</span>
        </template>
      </div>
      <button v-if="material" type="button" class="mt-1 text-pine underline" @click="(emit('choose', null), close())">No material</button>
    </PopoverPanel>
  </Popover>
</template>
