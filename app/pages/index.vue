<script setup lang="ts">
/** The library: studies, cases, and what can be brought in. */
import { FolderOpen, FolderUp, Trash2, Upload, X } from 'lucide-vue-next'
import { useEventListener } from '@vueuse/core'
import type { Catalogue } from '~~/core/case/catalogue'
import type { SourceEntry } from '~~/server/cases/sources'
import type { UploadFile } from '~/composables/useUpload'
import { sizeOfCase } from '~/composables/sizeOfCase'
import { filesOfDrop } from '~/composables/useUpload'
import BrandMark from '~/components/BrandMark.vue'
import SourceList from '~/components/SourceList.vue'

interface StudyRow {
  id: string
  name: string
  changed: string
  cases: string[]
  hasThumbnail: boolean
}
interface CaseRow {
  id: string
  name: string
  source: string[]
  catalogue: Catalogue | null
  state: 'reading' | 'ready' | 'failed'
  failure: string | null
  progress: { share: number; what: string; left: number | null } | null
}

const studies = shallowRef<StudyRow[]>([])
const cases = shallowRef<CaseRow[]>([])
/** null while the folders are looked through. */
const sources = shallowRef<SourceEntry[] | null>(null)
const isBringing = ref(false)
const problem = ref('')
const transfer = useUpload()
const uploading = transfer.progress
const removed = ref<{ what: 'studies' | 'cases'; id: string; name: string } | null>(null)
const chosen = ref<string[]>([])

async function load(): Promise<void> {
  try {
    ;[studies.value, cases.value] = await Promise.all([api.get<StudyRow[]>('/api/studies'), api.get<CaseRow[]>('/api/cases')])
  } catch (error) {
    problem.value = (error as Error).message
  }
}

onMounted(() => {
  void load()
  const events = new EventSource('/api/events')
  // events sent before the listener was added are part of the lists
  events.addEventListener('open', () => void load())
  events.addEventListener('case', () => void load())
  events.addEventListener('progress', (event) => {
    const { id, progress } = JSON.parse(event.data as string) as Pick<CaseRow, 'id' | 'progress'>
    cases.value = cases.value.map((row) => (row.id === id ? { ...row, progress } : row))
  })
  events.addEventListener('studies', () => void load())
  onBeforeUnmount(() => events.close())
})

async function attempt(work: () => Promise<void>): Promise<void> {
  problem.value = ''
  await work().catch((error: Error) => (problem.value = error.message))
}

const startStudy = (name: string, ids: string[]): Promise<void> =>
  attempt(async () => {
    const { id } = await api.send<{ id: string }>('POST', '/api/studies', { name, cases: ids })
    await navigateTo(`/study/${id}`)
  })

const showSources = (): Promise<void> =>
  attempt(async () => {
    sources.value = null
    isBringing.value = true
    sources.value = await api.get<SourceEntry[]>('/api/files')
  })

function nameOf(file: string): string {
  return (
    file
      .replace(/\/$/, '')
      .replace(/^.*\//, '')
      .replace(/[_-]?\d*\.[^.]+$/, '') || file
  )
}

const bringIn = (entry: { folder: string; files: string[] }): Promise<void> =>
  attempt(async () => {
    const { id } = await api.send<{ id: string }>('POST', '/api/cases', {
      name: nameOf(entry.files[0]!),
      folder: entry.folder,
      files: entry.files,
    })
    isBringing.value = false
    await load()
    await nextTick()
    // the list may be long, and the button that was pressed is gone
    document.getElementById(`case-${id}`)?.focus()
  })

/** Files sent together find each other: a `.vtm` and its blocks, the files of a series, or a case folder. */
const upload = (files: UploadFile[]): Promise<void> =>
  attempt(async () => {
    if (!files.length) return
    const names = await transfer.upload(files)
    if (!names) return
    const entries = await api.get<SourceEntry[]>('/api/files')
    const own = entries.filter(
      (entry) => entry.folder === 'uploads' && entry.files.some((name) => name.split('/')[0] === names[0]!.split('/')[0]),
    )
    // files that form no case are tried one by one, and report their errors
    for (const entry of own.length ? own : [{ folder: 'uploads', files: names.sort() }]) await bringIn(entry)
  })

const chosenFiles = (event: Event): UploadFile[] =>
  [...((event.target as HTMLInputElement).files ?? [])].map((file) => ({ path: file.webkitRelativePath || file.name, file }))

const remove = (what: 'studies' | 'cases', row: { id: string; name: string }): Promise<void> =>
  attempt(async () => {
    await api.send('DELETE', `/api/${what}/${row.id}`)
    removed.value = { what, id: row.id, name: row.name }
    await load()
  })

const restore = (): Promise<void> =>
  attempt(async () => {
    const { what, id } = removed.value!
    await api.send('POST', `/api/${what}/${id}/restore`)
    removed.value = null
    await load()
  })

const toggle = (id: string): void => void (chosen.value = toggled(chosen.value, id))

useEventListener('dragover', (event: DragEvent) => event.preventDefault())
useEventListener('drop', (event: DragEvent) => {
  event.preventDefault()
  const items = event.dataTransfer?.items
  if (items) void attempt(async () => upload(await filesOfDrop(items)))
})
</script>

<template>
  <div class="min-h-full">
    <header class="flex h-11 items-center gap-4 border-b border-line px-3.5">
      <BrandMark /><span class="text-mute">Library</span><span class="flex-1" />
      <label class="quiet cursor-pointer focus-within:outline-2"
        ><Upload :size="15" aria-hidden="true" />Upload<input
          type="file"
          multiple
          class="sr-only"
          aria-label="Upload result files"
          @change="upload(chosenFiles($event))"
      /></label>
      <label class="quiet cursor-pointer focus-within:outline-2"
        ><FolderUp :size="15" aria-hidden="true" />Upload a folder<input
          type="file"
          webkitdirectory
          class="sr-only"
          aria-label="Upload a case folder"
          @change="upload(chosenFiles($event))"
      /></label>
      <button type="button" class="act" @click="showSources"><FolderOpen :size="15" aria-hidden="true" />Bring in</button>
    </header>
    <main class="mx-auto max-w-[1180px] px-6 py-5">
      <p v-if="problem" role="alert" class="card mb-4 flex border-brick! px-3 py-2 text-brick">
        {{ problem }}<button type="button" class="ml-auto" aria-label="Close" @click="problem = ''"><X :size="15" /></button>
      </p>
      <p v-if="uploading" role="status" class="card mb-4 flex items-center gap-3 px-3 py-2">
        <span class="h-1.5 w-48 overflow-hidden rounded bg-line"
          ><span class="block h-full bg-pine" :style="{ width: `${100 * uploading.share}%` }" /></span
        ><span class="truncate">{{ uploading.what }}</span
        ><span class="num text-mute">{{ Math.round(100 * uploading.share) }} %</span
        ><button type="button" class="quiet ml-auto" @click="transfer.cancel">Cancel</button>
      </p>
      <p v-if="removed" role="status" class="card mb-4 px-3 py-2">
        “{{ removed.name }}” was taken out. <button type="button" class="ml-2 text-pine underline" @click="restore">Bring it back</button>
      </p>

      <SourceList v-if="isBringing" :sources="sources" @bring-in="bringIn" @close="isBringing = false" />

      <h2 class="mb-2 text-[15px] font-semibold">Studies</h2>
      <div class="grid grid-cols-[repeat(auto-fill,minmax(260px,1fr))] gap-4">
        <article v-for="study in studies" :key="study.id" class="card group relative overflow-hidden">
          <NuxtLink :to="`/study/${study.id}`" class="block">
            <img
              v-if="study.hasThumbnail"
              :src="`/api/studies/${study.id}/thumbnail?${study.changed}`"
              alt=""
              class="h-40 w-full bg-stage object-cover"
            />
            <div v-else class="grid h-40 place-items-center bg-stage text-[#5e6b6e]">no picture yet</div>
            <div class="px-3 py-2">
              <h3 class="font-medium">{{ study.name }}</h3>
              <p class="truncate text-[12px] text-mute">{{ study.cases.join(' · ') }}</p>
            </div>
          </NuxtLink>
          <button
            type="button"
            class="icon absolute bottom-2 right-2"
            :aria-label="`Take ${study.name} out`"
            @click="remove('studies', study)"
          >
            <Trash2 :size="14" />
          </button>
        </article>
        <p v-if="!studies.length" class="text-mute">None yet: choose cases below and start one.</p>
      </div>

      <div class="mb-2 mt-7 flex items-center">
        <h2 class="text-[15px] font-semibold">Cases</h2>
        <button
          v-if="chosen.length"
          type="button"
          class="act ml-auto"
          @click="startStudy(`Study of ${chosen.length} ${chosen.length > 1 ? 'cases' : 'case'}`, chosen)"
        >
          Start a study of {{ chosen.length }}
        </button>
      </div>
      <div class="card">
        <div v-for="row in cases" :key="row.id" class="flex items-center gap-3 border-t border-line px-3 py-2 first:border-0">
          <input
            type="checkbox"
            class="accent-pine"
            :disabled="!row.catalogue || row.state === 'failed'"
            :checked="chosen.includes(row.id)"
            :aria-label="`Choose ${row.name}`"
            @change="toggle(row.id)"
          />
          <NuxtLink :id="`case-${row.id}`" :to="`/case/${row.id}`" class="w-56 truncate font-medium hover:text-pine hover:underline">{{
            row.name
          }}</NuxtLink>
          <span v-if="row.state === 'ready'" class="num flex-1 truncate text-[12px] text-mute">{{
            row.catalogue ? sizeOfCase(row.catalogue) : ''
          }}</span>
          <span v-else-if="row.state === 'failed'" role="alert" class="flex-1 text-[12px] text-brick">{{ row.failure }}</span>
          <span v-else class="flex flex-1 items-center gap-3 text-[12px] text-mute">
            <span v-if="row.catalogue" class="num truncate">{{ sizeOfCase(row.catalogue) }}</span>
            <span class="h-1 w-24 shrink-0 overflow-hidden rounded bg-line"
              ><span class="block h-full bg-pine" :style="{ width: `${100 * (row.progress?.share ?? 0)}%` }" /></span
            ><span class="truncate">{{ row.progress?.what ?? 'waiting' }}</span
            ><span v-if="row.progress?.left != null" class="num whitespace-nowrap"
              >about {{ Math.max(1, Math.round(row.progress.left)) }} s left</span
            >
          </span>
          <NuxtLink v-if="row.catalogue && row.state !== 'failed'" :to="`/case/${row.id}`" class="quiet">Data check</NuxtLink>
          <button v-if="row.catalogue && row.state !== 'failed'" type="button" class="quiet" @click="startStudy(row.name, [row.id])">
            Start a study
          </button>
          <button v-if="row.state === 'reading'" type="button" class="quiet" @click="remove('cases', row)">Cancel</button>
          <button v-else type="button" class="icon" :aria-label="`Take ${row.name} out`" @click="remove('cases', row)">
            <Trash2 :size="14" />
          </button>
        </div>
        <p v-if="!cases.length" class="p-3 text-mute">No case yet: bring a result file in.</p>
      </div>
    </main>
  </div>
</template>
