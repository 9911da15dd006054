/** How the study is looked at: outside undo, kept per study in this browser. */
import { defineStore } from 'pinia'
import type { CameraState } from '~~/stage/Stage'

interface Kept {
  caseId: string | null
  moment: number
  selected: string | null
  camera: CameraState | null
}

export const useViewStore = defineStore('view', () => {
  const caseId = ref<string | null>(null)
  const moment = ref(0)
  const selected = ref<string | null>(null)
  const camera = shallowRef<CameraState | null>(null)
  const hovered = ref<string | null>(null)
  let key = ''

  function open(studyId: string): void {
    key = `stavik-view-${studyId}`
    const kept = JSON.parse(localStorage.getItem(key) ?? '{}') as Partial<Kept>
    caseId.value = kept.caseId ?? null
    moment.value = kept.moment ?? 0
    selected.value = kept.selected ?? null
    camera.value = kept.camera ?? null
  }

  watch([caseId, moment, selected, camera], () => {
    if (!key) return
    const kept: Kept = { caseId: caseId.value, moment: moment.value, selected: selected.value, camera: camera.value }
    localStorage.setItem(key, JSON.stringify(kept))
  })

  return { caseId, moment, selected, camera, hovered, open }
})
