/** One picture of all panes that are seen, as they stand beside each other. */
import { composed, legendStrip } from '~~/stage/composed'
import type { Placed } from '~~/stage/composed'
import { pointsIn } from '~~/stage/picture'
import type { PictureScale } from '~~/stage/picture'
import type { PaneScene } from './usePanes'

/** Pixels between two panes. */
const GAP = 2
/** Of the width, for legends. */
const MOST_STRIP = 0.35

export function usePanesPicture() {
  const { panes } = useBench()
  const isPossible = computed(() => panes.seen.value.length > 1)

  /**
   * Legends stand in a strip at the right: panes are small.
   *
   * @param draw  one pane in a size, without legends
   */
  async function pictureOf(
    [whole, height]: readonly [number, number],
    { hasLegends, ...scale }: PictureScale & { hasLegends: boolean },
    draw: (scene: PaneScene, size: readonly [number, number]) => Uint8Array | Promise<Uint8Array>,
  ): Promise<Uint8Array> {
    const scenes = panes.seen.value.flatMap(({ id }) => {
      const [rect, scene] = [panes.layout.value.panes.get(id), panes.scenes.get(id)?.()]
      return rect && scene ? [{ rect, scene }] : []
    })
    const legends = hasLegends ? scenes.flatMap(({ scene }) => scene.legends) : []
    const onStage = scenes[0] ? scenes[0].scene.stage.eye.size[0] / scenes[0].rect.width : whole
    const stripOf = (width: number) => legendStrip(legends, [Math.round(MOST_STRIP * whole), height], pointsIn(width / onStage, scale))
    // as large as in the panes, which are narrower by the strip
    const beside = scale.isScaled && legends.length ? stripOf(whole).width : 0
    const strip = legends.length ? stripOf(whole - beside) : undefined
    const width = Math.max(1, whole - (strip?.width ?? 0))
    const placed: Placed[] = strip ? [{ x: whole - strip.width, y: 0, ...strip }] : []
    for (const { rect, scene } of scenes) {
      const [left, right] = [rect.x, rect.x + rect.width].map((share) => Math.round(share * width)) as [number, number]
      const [upper, lower] = [rect.y, rect.y + rect.height].map((share) => Math.round(share * height)) as [number, number]
      const own = { width: right - left - (right < width ? GAP : 0), height: lower - upper - (lower < height ? GAP : 0) }
      placed.push({ x: left, y: upper, ...own, pixels: await draw(scene, [own.width, own.height]) })
    }
    return composed(whole, height, placed)
  }

  return { isPossible, pictureOf }
}
