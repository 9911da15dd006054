<script setup lang="ts">
/** The history of the study, newest first. */
import type { RevisionNews } from '~/stores/study'

const bench = useBench()
const rows = shallowRef<RevisionNews[]>([])

async function load(): Promise<void> {
  rows.value = (await api.get<RevisionNews[]>(`/api/studies/${bench.store.id}/revisions`)).reverse()
}

onMounted(load)
watch(() => bench.store.revision, load)

function words(row: RevisionNews): string {
  return row.kind === 'edit' ? row.title : `${row.kind === 'undo' ? 'Undid' : 'Redid'}: ${row.title}`
}
</script>

<template>
  <div class="max-h-96 overflow-auto text-[12px]" aria-label="History">
    <p v-if="!rows.length" class="p-2 text-mute">Nothing has been changed yet.</p>
    <div v-for="row in rows" :key="row.number" class="flex gap-2 px-2 py-1" :class="{ 'text-mute': row.kind !== 'edit' }">
      <span class="num w-8 text-mute">{{ row.number }}</span>
      <span class="flex-1">{{ words(row) }}<template v-if="row.author !== bench.store.author">, another tab</template></span>
      <span class="num text-mute">{{ new Date(row.made).toLocaleTimeString('en-GB') }}</span>
    </div>
  </div>
</template>
