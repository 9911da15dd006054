/** Cases of the library that are not in the study. */
import type { Catalogue } from '~~/core/case/catalogue'

interface CaseRow {
  id: string
  name: string
  state: string
  catalogue: Catalogue | null
}

export function useAddable() {
  const { document } = storeToRefs(useStudyStore())
  /** Null while they are asked for. */
  const rows = shallowRef<CaseRow[] | null>(null)
  const problem = ref('')
  const addable = computed(() => {
    const own = Object.values(document.value?.cases ?? {}).map((entry) => entry.case)
    return (rows.value ?? []).filter((row) => row.state === 'ready' && !own.includes(row.id))
  })

  async function load(): Promise<void> {
    problem.value = ''
    rows.value = await api.get<CaseRow[]>('/api/cases').catch((error: Error) => {
      problem.value = error.message
      return []
    })
  }

  return { rows, addable, problem, load }
}
