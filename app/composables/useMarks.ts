/** What is written over the scene: notes, captions, a box with axes. And the views that are kept. */
import { freshId, isSeen, ranked, rankBetween } from '~~/core/study/studyModel'
import type { StudyNote } from '~~/core/study/studyModel'
import type { Vector } from '~~/core/mesh/vectors'
import type { Annotations, Note } from '~~/stage/annotations'
import { boxLines } from '~~/stage/edges'
import { valueAtCorner } from '~~/stage/StageObject'
import type { StageObject } from '~~/stage/StageObject'
import type { Evaluated } from './useEvaluated'
import type { PaneNow } from './usePanes'
import type { StudyCases } from './useStudyCases'

/** What of the workbench it depends on. */
interface Around {
  cases: Pick<StudyCases, 'nMoments' | 'momentLabel' | 'lengthUnit'>
  evaluated: Pick<Evaluated, 'results' | 'stage'>
  units: ReturnType<typeof useShownUnits>
  pane: Ref<PaneNow>
}

/** Stands for the value at a note that is tied to an extreme. */
const VALUE = '{value}'
/** What is switched on and off. */
const titles = {
  hasBox: 'Box with axes',
  hasRulers: 'Rulers',
  hasOcclusion: 'Ambient occlusion',
  hasCaption: 'Case and moment',
  hasScaleBar: 'Scale bar',
} as const
/** Points at the lower left of the stage that rulers leave to the directions of the axes. */
const COMPASS = 84
/** Of a new note, in points. */
const OFFSET: [number, number] = [22, -26]

export function useMarks(bench: Around, objects: Ref<readonly StageObject[]>) {
  const store = useStudyStore()
  const { current } = storeToRefs(store)
  const marks = computed(() => current.value?.marks ?? {})

  const notes = computed<Note[]>(() =>
    ranked(marks.value.notes ?? {}).flatMap(([id, { text, at, extreme, offset }]) => {
      if (!extreme) return [{ id, text, at: at as Vector, offset: offset as [number, number] }]
      const found = extremeOf(extreme.step, extreme.which)
      return found ? [{ id, text: text.replaceAll(VALUE, found.text), at: found.at, offset: offset as [number, number] }] : []
    }),
  )

  /** Places of readings that have one. */
  const readingNotes = computed<Note[]>(() =>
    [...bench.evaluated.results.value].flatMap(([id, { reading }]) => {
      const step = current.value?.steps[id]
      if (!reading?.at || !step || !isSeen(step)) return []
      const text = `${step.name} ${bench.units.shown(reading.value, reading.unit, 4, reading.isDifference)}`
      return [{ id: `reading ${id}`, text, at: reading.at, offset: OFFSET }]
    }),
  )

  const captions = computed(() => {
    const { caseId, moment } = bench.pane.value
    if (!marks.value.hasCaption || !caseId || moment === null) return []
    const label = bench.cases.nMoments.value > 1 ? ` · ${bench.cases.momentLabel(moment)}` : ''
    return [`${current.value?.cases[caseId]?.name ?? ''}${label}`]
  })

  /** @param drawn  raised with each drawing: the box follows what is shown */
  function annotations(drawn: number): Annotations {
    void drawn
    const box = marks.value.hasBox ? bench.evaluated.stage.value?.box() : undefined
    const to = bench.units.display(bench.cases.lengthUnit.value || null)
    const eye = bench.evaluated.stage.value?.eye
    const isParallel = eye?.angle === undefined
    const lengths = { unit: to?.unit ?? '', factor: to?.factor ?? 1 }
    const rulers = marks.value.hasRulers && eye && isParallel && { ...lengths, ...eye.screenDirections(), corner: COMPASS }
    return {
      notes: [...notes.value, ...readingNotes.value],
      captions: captions.value,
      ...(rulers && { rulers }),
      // in perspective a length is not the same everywhere
      ...(marks.value.hasScaleBar && isParallel && !rulers && { scaleBar: lengths }),
      ...(box && {
        axes: {
          box: [...box.min.toArray(), ...box.max.toArray()] as unknown as NonNullable<Annotations['axes']>['box'],
          ...lengths,
        },
      }),
    }
  }

  /** The edges of the box, among what is drawn. @param box  of what is drawn */
  function boxObject(box: readonly number[]): StageObject {
    const { points, segments } = boxLines(box)
    return {
      ...{ id: 'marks box', order: 0, values: null, isMark: true },
      geometry: {
        ...{ key: `marks ${box.join()}`, kind: 'lines', origin: [0, 0, 0] },
        points,
        elements: segments,
      },
      look: {
        ...{ table: null, min: 0, max: 1, bands: 0, plain: [0.45, 0.5, 0.5], opacity: 1 },
        ...{ isLit: false, isSmooth: false, edges: 'none', width: 0.5 },
      },
    }
  }

  /** Where a step that is drawn has its smallest or largest value, and that value. */
  function extremeOf(step: string, which: 'min' | 'max'): { at: Vector; text: string } | undefined {
    const object = objects.value.find(({ id }) => id === step)
    const unit = bench.evaluated.results.value.get(step)?.valuesMeta?.unit ?? null
    const values = object?.values
    if (!object || !values) return undefined
    const { points, elements, origin } = object.geometry
    let [best, at] = [NaN, -1]
    for (let i = 0; i < elements.length; i++) {
      const value = valueAtCorner(object.geometry, values, i)
      if (Number.isNaN(best) ? Number.isFinite(value) : which === 'max' ? value > best : value < best) [best, at] = [value, elements[i]!]
    }
    if (at < 0) return undefined
    const { motion } = object
    const place = [0, 1, 2].map(
      (d) => origin[d]! + points[3 * at + d]! + (motion ? motion.offset[d]! + motion.factor * (motion.vectors?.[3 * at + d] ?? 0) : 0),
    )
    return { at: place as Vector, text: bench.units.shown(best + values.reference, unit, 4) }
  }

  function addNote(title: string, note: Pick<StudyNote, 'text' | 'at' | 'extreme'>): void {
    void store.edit(title, (study) => {
      const own = ((study.marks ??= {}).notes ??= {})
      const last = ranked(own).at(-1)?.[1].rank
      own[freshId('note', own)] = { ...note, rank: rankBetween(last, undefined), offset: OFFSET }
    })
  }

  /** At a place, with what is read there. */
  function noteAt(at: readonly number[], text: string): void {
    addNote('Add a note', { text: text || 'Note', at: [...at] as Vector })
  }

  function noteExtreme(step: string, which: 'min' | 'max'): void {
    addNote(`Note at the ${which === 'max' ? 'largest' : 'smallest'} value`, {
      text: `${which} ${VALUE}`,
      at: [0, 0, 0],
      extreme: { step, which },
    })
  }

  function changeNote(id: string, change: Partial<Pick<StudyNote, 'text' | 'offset'>>): void {
    void store.edit('Change a note', (study) => void Object.assign(study.marks!.notes![id]!, change))
  }

  function removeNote(id: string): void {
    void store.edit('Delete a note', (study) => void delete study.marks?.notes?.[id])
  }

  function toggle(what: keyof typeof titles): void {
    const is = !marks.value[what]
    void store.edit(titles[what], (study) => {
      const own = (study.marks ??= {})
      if (is) own[what] = true
      else delete own[what]
    })
  }

  const views = computed(() => ranked(current.value?.views ?? {}))

  function keepView(): void {
    const camera = bench.evaluated.stage.value?.eye.cameraState()
    if (!camera) return
    void store.edit('Keep this view', (study) => {
      const own = (study.views ??= {})
      const title = `View ${Object.keys(own).length + 1}`
      const last = ranked(own).at(-1)?.[1].rank
      own[freshId(title, own)] = { name: title, rank: rankBetween(last, undefined), camera: camera as never }
    })
  }

  function goToView(id: string): void {
    const view = current.value?.views?.[id]
    if (view) bench.evaluated.stage.value?.eye.setCamera(view.camera as never)
  }

  function removeView(id: string): void {
    void store.edit('Delete a view', (study) => void delete study.views?.[id])
  }

  return {
    ...{ marks, notes, annotations, boxObject, noteAt, noteExtreme, changeNote, removeNote, toggle },
    ...{ views, keepView, goToView, removeView },
  }
}

export type Marks = ReturnType<typeof useMarks>
