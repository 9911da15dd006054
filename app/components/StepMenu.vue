<script setup lang="ts">
/** Acts on a step that are wanted less often, each with its key. */
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/vue'
import { Ellipsis } from 'lucide-vue-next'
import { stepKind } from '~~/core/steps'
import type { Step } from '~~/core/study/studyModel'

const props = defineProps<{ id: string; step: Step }>()
const emit = defineEmits<{ name: []; insert: [] }>()
const bench = useBench()

/** Where there are several cases: the one that is worked with. */
const caseName = computed(() => {
  const all = bench.document.value?.cases ?? {}
  const { caseId } = bench.view
  return caseId !== null && Object.keys(all).length > 1 ? (all[caseId]?.name ?? null) : null
})
const isOwn = computed(() => props.step.cases?.[bench.view.caseId ?? ''] !== undefined)

const acts = computed(() => {
  const { id, step } = props
  const { edits, acts: trail } = bench
  const kind = stepKind(step.kind)
  return [
    { title: 'Rename', key: 'F2', run: () => emit('name') },
    ...(kind.inputs.length ? [{ title: 'Insert a step before it', key: 'I', run: () => emit('insert') }] : []),
    ...(kind.keeps ? [{ title: 'Put under all that takes what it takes', key: 'U', run: () => edits.putUnderAll(id) }] : []),
    { title: 'Duplicate with what is made of it', key: 'Ctrl Shift D', run: () => void trail.duplicateTree(id) },
    step.group === undefined
      ? { title: 'Group with what is marked', key: 'G', run: () => trail.group(id) }
      : { title: 'Take out of its group', key: 'G', run: () => trail.group(id) },
    { title: 'Show only this', key: 'O', run: () => trail.onlyThis(id) },
    ...(caseName.value !== null
      ? [
          isOwn.value
            ? { title: 'The same values in all cases', key: '', run: () => edits.setOwn(id, false) }
            : { title: `Own values in ${caseName.value}`, key: '', run: () => edits.setOwn(id, true) },
        ]
      : []),
    { title: 'Move up', key: 'Alt ↑', run: () => edits.move(id, -1) },
    { title: 'Move down', key: 'Alt ↓', run: () => edits.move(id, 1) },
  ]
})
</script>

<template>
  <Menu as="div" class="relative">
    <MenuButton class="icon size-6!" aria-label="More" title="More acts" @click.stop @keydown.stop><Ellipsis :size="14" /></MenuButton>
    <MenuItems class="pop absolute bottom-7 left-[-120px] z-10 w-72 p-1!" @click.stop @keydown.stop>
      <MenuItem v-for="act in acts" :key="act.title" v-slot="{ active }">
        <button
          type="button"
          class="flex w-full items-baseline rounded px-2 py-1 text-left text-[12px]"
          :class="{ 'bg-pine-wash': active }"
          @click="act.run()"
        >
          {{ act.title }}<kbd class="num ml-auto pl-3 text-[11px] text-mute">{{ act.key }}</kbd>
        </button>
      </MenuItem>
    </MenuItems>
  </Menu>
</template>
