<script setup lang="ts">
/** Whether a reading keeps to its limit. */
import { verdictOf } from '~~/core/measure/limit'

const props = defineProps<{ limit: string | undefined; reading: { value: number; unit: string | null } }>()
const verdict = computed(() => verdictOf(props.limit, props.reading))
</script>

<template>
  <span
    v-if="verdict"
    class="text-[12px] font-medium"
    :class="verdict === 'pass' ? 'text-pine' : 'text-brick'"
    :title="`limit: ${limit}`"
    data-verdict
    >{{ verdict === 'pass' ? '✓ keeps to' : verdict === 'fail' ? '✗ breaks' : verdict }}
    <template v-if="verdict === 'pass' || verdict === 'fail'">{{ limit }}</template></span
  >
</template>
