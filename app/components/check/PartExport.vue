<script setup lang="ts">
/** Saves a region or a surface as it is, with chosen fields, in an open format. */
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue'
import { Download } from 'lucide-vue-next'
import type { Part } from '~~/core/case/catalogue'
import type { CaseCheck } from '~/composables/useCaseCheck'

const props = defineProps<{ check: CaseCheck; part: Part }>()

const formats = computed(() => (props.part.dimension === 3 ? ['vtu', 'stl', 'ply', 'csv'] : ['vtp', 'vtu', 'stl', 'ply', 'csv']))
const format = ref(formats.value[0]!)
const fields = computed(() =>
  props.check.catalogue.value!.fields.filter((f) => f.parts.includes(props.part.name) && f.moments.includes(props.check.moment.value)),
)
const left = ref<string[]>([])
const saving = useSaving()
const { problem, isBusy } = saving

const save = (): Promise<void> =>
  saving.save(
    () => {
      const names = fields.value.map((f) => f.name).filter((name) => !left.value.includes(name))
      return api.file(`/api/cases/${props.check.row.value!.id}/part`, {
        part: props.part.name,
        fields: names,
        moment: props.check.moment.value,
        format: format.value,
      })
    },
    `${props.part.name.replaceAll('/', ' ')}.${format.value}`,
  )
const toggle = (name: string): void => void (left.value = toggled(left.value, name))
</script>

<template>
  <Popover class="relative inline-block align-middle">
    <PopoverButton class="icon" :aria-label="`Export ${part.name}`" :title="`Export ${part.name}`"><Download :size="14" /></PopoverButton>
    <PopoverPanel class="pop absolute right-0 top-7 w-56 p-3! text-left" focus>
      <form class="grid gap-2 text-[12px]" :aria-label="`Export ${part.name}`" @submit.prevent="save">
        <label class="flex items-center gap-2"
          >Format
          <select v-model="format" class="field num ml-auto w-24">
            <option v-for="f in formats" :key="f" :value="f">{{ f.toUpperCase() }}</option>
          </select></label
        >
        <p v-if="part.dimension === 3 && (format === 'stl' || format === 'ply')" class="text-mute">its outer surface</p>
        <fieldset v-if="fields.length && format !== 'stl'" class="max-h-40 overflow-auto">
          <legend class="text-mute">with the values of</legend>
          <label v-for="f in fields" :key="f.name" class="flex items-center gap-1.5 py-0.5"
            ><input type="checkbox" class="accent-pine" :checked="!left.includes(f.name)" @change="toggle(f.name)" />{{ f.name }}</label
          >
        </fieldset>
        <button type="submit" class="act justify-center" :disabled="isBusy">{{ isBusy ? 'Writing…' : 'Save' }}</button>
        <p v-if="problem" role="alert" class="text-brick">{{ problem }}</p>
      </form>
    </PopoverPanel>
  </Popover>
</template>
