/** A case as the data check shows it: its state, and figures that come in one after the other. */
import type { FieldFigures } from '~~/core/check/fieldFigures'
import { checkCautions, fieldKey } from '~~/core/check/cautions'
import type { Description } from '~~/core/case/describeCase'
import type { PartFigures } from '~~/core/check/partFigures'
import type { SurfaceFlow } from '~~/core/case/roles'
import { isVelocity } from '~~/core/units/quantities'
import { UserError } from '~~/core/errors'
import { pairedSides, periodicSidesOf } from './periodicPairs'
import type { PairedSides } from './periodicPairs'
import { tellingMoment } from '~~/core/case/catalogue'
import type { Catalogue } from '~~/core/case/catalogue'

export interface CheckedRow {
  id: string
  name: string
  source: string[]
  state: 'reading' | 'ready' | 'failed'
  failure: string | null
  created: string
  catalogue: Catalogue | null
  progress: { share: number; what: string; left: number | null } | null
}

interface Question {
  look: 'part' | 'field' | 'flow'
  part: string
  field?: string
}

export function useCaseCheck(id: string) {
  const row = shallowRef<CheckedRow | null>(null)
  const problem = ref('')
  const chosen = ref<number | null>(null)
  const parts = shallowRef(new Map<string, PartFigures>())
  const fields = shallowRef(new Map<string, FieldFigures>())
  const flows = shallowRef(new Map<string, SurfaceFlow>())
  /** Sides of which one lies on the other, turned or shifted. */
  const pairs = shallowRef<PairedSides[]>([])
  /** Whether all of them have been looked at. */
  const isPaired = ref(false)
  const waiting = ref(0)
  let round = 0

  const catalogue = computed(() => row.value?.catalogue ?? null)
  const moment = computed(() => chosen.value ?? (catalogue.value ? tellingMoment(catalogue.value) : 0))
  const cautions = computed(() =>
    catalogue.value ? checkCautions({ catalogue: catalogue.value, parts: parts.value, fields: fields.value, flows: flows.value }) : [],
  )

  async function load(): Promise<void> {
    await attempt(async () => {
      row.value = await api.get<CheckedRow>(`/api/cases/${id}`)
    })
  }

  async function attempt(work: () => Promise<void>): Promise<void> {
    problem.value = ''
    await work().catch((error: Error) => (problem.value = error.message))
  }

  /** Requests all figures at the moment, in the order in which people look at them: meshes, fields of regions, flows, the rest. */
  async function look(): Promise<void> {
    const mine = ++round
    const known = catalogue.value
    if (!known || row.value?.state !== 'ready') return
    fields.value = new Map()
    flows.value = new Map()
    const questions = questionsOf(known, moment.value)
    waiting.value = questions.length
    for (const question of questions) {
      if (mine !== round) return
      const query = new URLSearchParams({ ...question, moment: String(moment.value) })
      const figures = await api.get<unknown>(`/api/cases/${id}/figures?${query}`).catch((error: unknown) => {
        if (error instanceof UserError && error.code !== 'unreachable') return undefined
        throw error
      })
      if (mine !== round) return
      waiting.value--
      if (!figures) continue
      if (question.look === 'part') parts.value = new Map(parts.value).set(question.part, figures as PartFigures)
      else if (question.look === 'flow') flows.value = new Map(flows.value).set(question.part, figures as SurfaceFlow)
      else fields.value = new Map(fields.value).set(fieldKey(question.part, question.field!), figures as FieldFigures)
    }
  }

  const periodic = computed(() => (catalogue.value ? periodicSidesOf(catalogue.value) : []))

  async function lookAtPairs(): Promise<void> {
    isPaired.value = false
    pairs.value = await pairedSides(id, row.value?.state === 'ready' ? periodic.value : [], moment.value)
    isPaired.value = row.value?.state === 'ready'
  }

  function showMoment(index: number): void {
    chosen.value = index
  }

  const describe = (description: Description): Promise<void> =>
    attempt(async () => {
      await api.send('PATCH', `/api/cases/${id}`, description)
      await load()
      if (description.join) await look()
    })

  onMounted(() => {
    void load()
    const events = new EventSource('/api/events')
    // events sent before the listener was added are part of the state
    events.addEventListener('open', () => void load())
    events.addEventListener('case', (event) => {
      if ((JSON.parse(event.data as string) as { id: string }).id === id) void load()
    })
    events.addEventListener('progress', (event) => {
      const news = JSON.parse(event.data as string) as { id: string; progress: NonNullable<typeof row.value>['progress'] }
      if (news.id === id && row.value) row.value = { ...row.value, progress: news.progress }
    })
    onBeforeUnmount(() => events.close())
  })
  onBeforeUnmount(() => void round++)
  watch(
    [() => row.value?.state, moment],
    () =>
      void look().catch((error: Error) => {
        waiting.value = 0
        problem.value = error.message
      }),
  )

  watch([() => row.value?.state, () => periodic.value.join('\n')], () => void attempt(lookAtPairs))

  return {
    row,
    problem,
    moment,
    parts,
    fields,
    flows,
    pairs,
    isPaired,
    periodic,
    waiting,
    catalogue,
    cautions,
    load,
    describe,
    attempt,
    showMoment,
  }
}

export type CaseCheck = ReturnType<typeof useCaseCheck>

function questionsOf({ parts, fields }: Catalogue, moment: number): Question[] {
  const largestFirst = [...parts].sort((a, b) => b.dimension - a.dimension || b.cells - a.cells)
  const ofParts = largestFirst.map((p): Question => ({ look: 'part', part: p.name }))
  const ofFields = largestFirst.flatMap((p) =>
    fields.filter((f) => f.parts.includes(p.name) && f.moments.includes(moment)).map((f) => ({ part: p, field: f })),
  )
  const inside = ofFields.filter(({ part }) => part.dimension === largestFirst[0]!.dimension)
  const flows = ofFields.filter(({ part, field }) => part.dimension === 2 && isVelocity(field))
  const others = ofFields.filter((entry) => !inside.includes(entry))
  const question =
    (look: 'field' | 'flow') =>
    ({ part, field }: (typeof ofFields)[number]): Question => ({ look, part: part.name, field: field.name })
  return [...ofParts, ...inside.map(question('field')), ...flows.map(question('flow')), ...others.map(question('field'))]
}
