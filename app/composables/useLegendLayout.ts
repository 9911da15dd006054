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
  /** Whether its name takes little room. */
  isLow: Ref<boolean>
  /** Whether the directions and the scale bar do. */
  hasSmallMarks: Ref<boolean>
  hasAllTools: Ref<boolean>
}

export function useLegendLayout(source: LegendLayoutSource) {
  const { stage, drawn, legends, size, nRemarks, hasRulers, isLow, hasSmallMarks, hasAllTools } = source
  const rects = shallowRef<Rect[]>([])

  /** Tools, names, axes and the scale bar. */
  function taken(width: number, height: number): Rect[] {
    const tools = hasAllTools.value ? 232 : 86
    const [mark, bar] = hasSmallMarks.value ? [62, 110] : [112, 150]
    return [
      { x: 0, y: 0, width: isLow.value ? 120 : 300, height: 34 },
      { x: width - tools, y: 0, width: tools, height: 48 },
      { x: 0, y: height - mark, width: mark, height: mark },
      { x: width - bar, y: height - bar / 3, width: bar, height: bar / 3 },
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

  watch([stage, legends, size.width, size.height, nRemarks, hasRulers, isLow, hasSmallMarks, hasAllTools], layOut)
  watch(drawn, useDebounceFn(layOut, REST))

  return rects
}
