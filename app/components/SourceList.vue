<script setup lang="ts">
/** Files on the server that can be brought in, those written last first, each to be looked into before. */
import { X } from 'lucide-vue-next'
import { formatCount } from '~~/core/colour/ticks'
import type { Inside } from '~~/server/cases/lookInside'
import type { SourceEntry } from '~~/server/cases/sources'
import SourceLook from '~/components/SourceLook.vue'

/** @param sources  null while the folders are looked through */
const props = defineProps<{ sources: SourceEntry[] | null }>()
const emit = defineEmits<{ bringIn: [entry: SourceEntry]; close: [] }>()

const filter = ref('')
/** Entries from which on looking for one by its name is quicker. */
const MANY = 8
const found = computed(() => {
  const words = filter.value.toLowerCase().split(/\s+/).filter(Boolean)
  return (props.sources ?? []).filter((entry) => words.every((word) => titleOf(entry).toLowerCase().includes(word)))
})

/** The server's own folder goes without saying. */
function titleOf({ folder, files }: SourceEntry): string {
  return folder === 'data' ? files[0]! : `${folder}/${files[0]!}`
}

/** The file that is looked into, what is in it, or why it cannot be read. */
const looked = ref<{ title: string; inside: Inside | null; problem: string } | null>(null)

/** None or one. */
const looksInto = (entry: SourceEntry) => (looked.value && looked.value.title === titleOf(entry) ? [looked.value] : [])

async function lookInto(entry: SourceEntry): Promise<void> {
  const title = titleOf(entry)
  if (looked.value?.title === title) {
    looked.value = null
    return
  }
  looked.value = { title, inside: null, problem: '' }
  const { folder, files } = entry
  const answer = await api.send<Inside>('POST', '/api/files/look', { folder, files }).then(
    (inside) => ({ inside, problem: '' }),
    (error: Error) => ({ inside: null, problem: error.message }),
  )
  if (looked.value?.title === title) looked.value = { title, ...answer }
}

function bytesInWords(bytes: number): string {
  if (bytes < 1e3) return `${bytes} B`
  const [unit, size] = bytes < 1e6 ? ['kB', 1e3] : bytes < 1e9 ? ['MB', 1e6] : ['GB', 1e9]
  return `${(bytes / (size as number)).toPrecision(3)} ${unit}`
}

/** Day and time where the reader is, in an order that cannot be mistaken. */
const timeFormat = new Intl.DateTimeFormat('sv-SE', { dateStyle: 'short', timeStyle: 'short' })
</script>

<template>
  <section class="card mb-6 p-4" aria-label="Files that can be brought in">
    <div class="mb-2 flex items-center gap-3">
      <h2 class="font-semibold">Files on the server</h2>
      <span class="text-mute">or drop files anywhere on this page</span>
      <input
        v-if="(sources?.length ?? 0) > MANY"
        v-model="filter"
        type="search"
        class="field ml-auto w-64"
        placeholder="part of the name"
        aria-label="Show only files with"
      />
      <button type="button" class="icon" :class="{ 'ml-auto': (sources?.length ?? 0) <= MANY }" aria-label="Close" @click="emit('close')">
        <X :size="16" />
      </button>
    </div>
    <p v-if="!sources" role="status" class="text-mute">Looking through the folders…</p>
    <p v-else-if="!sources.length" class="text-mute">No result files are in the server’s data folder. Upload some, or copy them there.</p>
    <p v-else-if="!found.length" role="status" class="text-mute">No file of {{ sources.length }} has “{{ filter }}” in its name.</p>
    <div v-for="entry in found" :key="titleOf(entry)" class="border-t border-line first:border-0">
      <div class="flex items-center gap-3 py-1.5">
        <span class="num min-w-0 flex-1 truncate" :title="titleOf(entry)"
          >{{ titleOf(entry) }}<span v-if="entry.files.length > 1" class="text-mute"> and {{ entry.files.length - 1 }} more, a series</span
          ><span v-else-if="entry.files[0]!.endsWith('/')" class="text-mute"> a case folder</span></span
        >
        <time class="num text-[12px] text-mute" :datetime="new Date(entry.written).toISOString()">{{
          timeFormat.format(entry.written)
        }}</time>
        <span class="num w-24 text-right text-[12px] text-mute">{{
          entry.bytes === null ? `${formatCount(entry.nFiles)} files` : bytesInWords(entry.bytes)
        }}</span>
        <button type="button" class="quiet" :aria-expanded="looked?.title === titleOf(entry)" @click="lookInto(entry)">Look inside</button>
        <button type="button" class="quiet" @click="emit('bringIn', entry)">Bring in</button>
      </div>
      <template v-for="look in looksInto(entry)" :key="look.title">
        <p v-if="look.problem" role="alert" class="pb-2 text-[12px] text-brick">{{ look.problem }}</p>
        <SourceLook v-else-if="look.inside" :inside="look.inside" />
        <p v-else role="status" class="pb-2 text-[12px] text-mute">looking…</p>
      </template>
    </div>
  </section>
</template>
