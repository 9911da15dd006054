/** One picture of all panes that are seen, as they stand beside each other. */
import { composed, legendStrip } from '~~/stage/composed'
import type { Placed } from '~~/stage/composed'
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
   * @param scale  pixels of a point
   * @param draw   one pane in a size, without legends
   */
  async function pictureOf(
    [whole, height]: readonly [number, number],
    { hasLegends, scale }: { hasLegends: boolean; scale: number },
    draw: (scene: PaneScene, size: readonly [number, number]) => Uint8Array | Promise<Uint8Array>,
  ): Promise<Uint8Array> {
    const scenes = panes.seen.value.flatMap(({ id }) => {
      const [rect, scene] = [panes.layout.value.panes.get(id), panes.scenes.get(id)?.()]
      return rect && scene ? [{ rect, scene }] : []
    })
    const legends = hasLegends ? scenes.flatMap(({ scene }) => scene.legends) : []
    const strip = legends.length ? legendStrip(legends, [Math.round(MOST_STRIP * whole), height], scale) : undefined
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
