<script setup lang="ts">
/** The head of a group of steps: folds it, names it, shows and hides all of it. */
import { ChevronDown, ChevronRight, Eye, EyeOff, Ungroup } from 'lucide-vue-next'

const props = defineProps<{ group: { name: string; ids: string[] }; isFolded: boolean }>()
const emit = defineEmits<{ fold: [] }>()
const bench = useBench()
/** The name as it is typed; null while it is not. */
const naming = ref<string | null>(null)
const isShown = computed(() => props.group.ids.some((id) => bench.current.value?.steps[id]?.isShown))

function finishNaming(): void {
  const name = naming.value?.trim()
  naming.value = null
  if (name && name !== props.group.name) bench.acts.nameGroup(props.group.ids, name)
}
</script>

<template>
  <div class="flex h-7 items-center gap-1 pl-2.5 pr-3 text-[12px] font-medium text-mute" role="listitem" :data-group="group.name">
    <button
      type="button"
      class="icon size-5!"
      :aria-label="`${isFolded ? 'Unfold' : 'Fold'} ${group.name}`"
      :aria-expanded="!isFolded"
      title="Fold or unfold (Shift G)"
      @click="emit('fold')"
    >
      <ChevronRight v-if="isFolded" :size="14" /><ChevronDown v-else :size="14" />
    </button>
    <input
      v-if="naming !== null"
      v-model="naming"
      class="field h-5 w-36 px-1! py-0! text-[12px]"
      aria-label="Name of the group"
      @keydown.stop
      @keydown.enter="finishNaming"
      @keydown.esc="naming = null"
      @blur="finishNaming"
      @vue:mounted="({ el }: { el: HTMLInputElement }) => el.select()"
    />
    <button v-else type="button" class="truncate hover:text-ink" title="Rename the group" @click="naming = group.name">
      {{ group.name }}
    </button>
    <span class="num font-normal">{{ group.ids.length }}</span>
    <span class="flex-1" />
    <button
      type="button"
      class="icon size-5!"
      :aria-label="`Dissolve ${group.name}`"
      title="Dissolve the group; its steps stay"
      @click="bench.acts.dissolve(group)"
    >
      <Ungroup :size="13" />
    </button>
    <button
      type="button"
      class="icon size-5!"
      :aria-label="`${isShown ? 'Hide' : 'Show'} all of ${group.name}`"
      @click="bench.acts.showGroup(group, !isShown)"
    >
      <Eye v-if="isShown" :size="13" /><EyeOff v-else :size="13" />
    </button>
  </div>
</template>
