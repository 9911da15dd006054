<script setup lang="ts">
/** What may mislead, with what settles it. */
import type { CheckCaution } from '~~/core/check/cautions'
import type { CaseCheck } from '~/composables/useCaseCheck'

const props = defineProps<{ check: CaseCheck }>()
const sorted = computed(() => [...props.check.cautions.value].sort((a, b) => Number(a.level === 'note') - Number(b.level === 'note')))

function mend({ label: _, ...description }: NonNullable<CheckCaution['mend']>[number]): void {
  void props.check.describe(description)
}
</script>

<template>
  <section class="card" aria-label="Before you start">
    <h2 class="px-3.5 py-2 font-semibold">Before you start</h2>
    <p v-if="check.row.value?.state === 'reading'" class="border-t border-line px-3.5 py-2 text-mute">
      What is doubtful is said here once the case is read.
    </p>
    <ul v-else>
      <li v-for="caution in sorted" :key="caution.text" class="flex gap-2.5 border-t border-line px-3.5 py-2" :data-level="caution.level">
        <span
          class="w-1.5 shrink-0 rounded-full"
          :class="caution.level === 'caution' ? 'bg-amber-mark' : 'bg-pine/40'"
          aria-hidden="true"
        />
        <span
          ><span v-if="caution.level === 'caution'" class="sr-only">Caution: </span>{{ caution.text }}
          <button v-for="act in caution.mend" :key="act.label" type="button" class="token mr-2" @click="mend(act)">
            {{ act.label }}
          </button></span
        >
      </li>
      <li v-if="!sorted.length" class="border-t border-line px-3.5 py-2 text-mute">Nothing so far.</li>
    </ul>
  </section>
</template>
