/** Where legends stand on the stage: laid out anew when they change, and when the view has come to rest. */
import { useDebounceFn } from '@vueuse/core'
import { rulerRects } from '~~/stage/annotations'
import { legendToPlace } from '~~/stage/legend'
import type { LegendSpec } from '~~/stage/legend'
import { placeLegends } from '~~/stage/legendPlaces'
import type { Rect } from '~~/stage/legendPlaces'
import type { Stage } from '~~/stage/Stage'

/** CSS pixels. */
const GAP = 10
/** Milliseconds without a change of the view. */
const REST = 160

export interface LegendLayoutSource {
  stage: Ref<Stage | undefined>
  /** Raised with each drawing. */
  drawn: Ref<number>
  legends: Ref<readonly LegendSpec[]>
  size: { width: Ref<number>; height: Ref<number> }
  nRemarks: Ref<number>
  hasRulers: Ref<boolean>
}

export function useLegendLayout({ stage, drawn, legends, size, nRemarks, hasRulers }: LegendLayoutSource) {
  const rects = shallowRef<Rect[]>([])

  /** Tools, names, axes and the scale bar. */
  function taken(width: number, height: number): Rect[] {
    return [
      { x: 0, y: 0, width: 300, height: 34 },
      { x: width - 176, y: 0, width: 176, height: 48 },
      { x: 0, y: height - 110, width: 112, height: 110 },
      { x: width - 150, y: height - 50, width: 150, height: 50 },
      ...(nRemarks.value ? [{ x: 112, y: height - 18 - 18 * nRemarks.value, width: 320, height: 18 + 18 * nRemarks.value }] : []),
      ...(hasRulers.value ? rulerRects(width, height, stage.value!.pointSize) : []),
    ]
  }

  function layOut(): void {
    const [width, height] = [size.width.value, size.height.value]
    if (!stage.value || !width) return
    const { pointSize } = stage.value
    const sized = legends.value.map((spec) => legendToPlace(spec, pointSize))
    const found = placeLegends({ width, height, model: stage.value.outline(), taken: taken(width, height), gap: GAP }, sized)
    if (JSON.stringify(found) !== JSON.stringify(rects.value)) rects.value = found
  }

  watch([stage, legends, size.width, size.height, nRemarks, hasRulers], layOut)
  watch(drawn, useDebounceFn(layOut, REST))

  return rects
}
