/** The outer surface of a case that is still being read, as the stage draws it. */
import { colourTable, defaultMap } from '~~/core/colour/maps'
import type { LegendSpec } from '~~/stage/legend'
import type { StageObject } from '~~/stage/StageObject'
import type { LookMeta } from '~~/core/evaluate/pictures'
import { api } from './useApi'

export interface FirstLook {
  object: StageObject
  legend: LegendSpec | null
}

const GREY = [0.73, 0.77, 0.75] as const

export async function loadFirstLook(caseId: string): Promise<FirstLook> {
  const { meta, arrays } = await api.packet<LookMeta>(`/api/cases/${caseId}/skin`)
  const { origin, values } = meta
  const [min, max] = values?.range ?? [0, 1]
  const key = `${caseId} ${values?.name ?? ''}`
  const object: StageObject = markRaw({
    id: 'first-look',
    order: 0,
    values: values && { key, values: arrays['values'] as Float32Array, reference: 0, place: values.place },
    geometry: {
      key: caseId,
      kind: 'surface' as const,
      origin,
      points: arrays['points'] as Float32Array,
      elements: arrays['elements'] as Uint32Array,
    },
    look: {
      table: values && colourTable(defaultMap()),
      min,
      max,
      bands: 0,
      plain: GREY,
      opacity: 1,
      isLit: true,
      isSmooth: false,
      edges: 'none' as const,
      width: 1,
    },
  })
  const legend = values && {
    ...{ variable: values.name, steps: [], name: values.name },
    unit: values.unit,
    range: 'outside',
    map: defaultMap(),
    scale: { min, max, bands: 0 },
    isOfMoment: false,
    isReady: true,
    seen: null,
  }
  return { object, legend }
}
