/** The pictures of a film: what the stage shows, with a chart beside it on which a line runs along. */
import { curvesOf } from '~~/core/study/chart'
import { markedAt } from '~~/core/study/chartPanels'
import type { Film } from '~~/core/study/film'
import { inUnit } from '~~/core/units/typedNumbers'
import { composed } from '~~/stage/composed'
import { drawPicture } from '~~/stage/picture'
import type { ShownChart } from './useCharts'
import type { FilmFrame } from './useFilm'
import type { PaneScene } from './usePanes'

type FilmScene = Omit<PaneScene, 'title'>

/** Of the width. */
const CHART_SHARE = 0.38
/** Height over width of a chart, as far as there is room. */
const CHART_SHAPE = 0.8
const DPI = 96

export function useFilmPictures() {
  const bench = useBench()
  const panes = usePanesPicture()

  /** RGBA of the size of the film. */
  async function pictureOf(film: Film, scene: FilmScene, frame: FilmFrame): Promise<Uint8Array> {
    const [width, height] = film.size
    const chart = bench.charts.charts.value.find(({ id }) => id === film.chart)
    const across = chart ? Math.round(width * CHART_SHARE) : 0
    const size = [width - across, height] as const
    const isOfAll = film.hasAllPanes && panes.isPossible.value
    const pixels = isOfAll
      ? await panes.pictureOf(size, { hasLegends: film.hasLegend, dpi: DPI }, (own, room) =>
          sceneIn(film, { ...own, legends: [] }, room, [own.title, frame.caption]),
        )
      : sceneIn(film, scene, size, [frame.caption])
    if (!chart) return pixels
    const own = await chartOn(chart, across, height, frame)
    return composed(width, height, [
      { x: 0, y: 0, width: size[0], height, pixels },
      { x: size[0], y: (height - own.height) >> 1, ...own },
    ])
  }

  function sceneIn(film: Film, scene: FilmScene, [width, height]: readonly [number, number], captions: readonly string[]): Uint8Array {
    const said = film.hasCaption ? captions.filter((text) => text) : []
    return drawPicture(scene.stage, {
      ...{ width, height, dpi: DPI, ground: 'white' as const, isOfFilm: true },
      legends: film.hasLegend ? scene.legends : [],
      remarks: [...(film.hasLegend ? scene.remarks : []), ...said],
      annotations: scene.annotations(),
    })
  }

  async function chartOn(chart: ShownChart, width: number, height: number, { at }: FilmFrame) {
    const { chartPixels } = await import('~~/stage/chart/file')
    const up = Math.min(height, Math.round(width / (chart.look.aspect ?? 1 / CHART_SHAPE)))
    const mark = at && placeOf(chart, at)
    const { drawn, look } = chart
    const { data, ...size } = chartPixels({ ...(mark == null ? drawn : markedAt(mark, drawn)), look }, [width, up], 1)
    return { ...size, pixels: data }
  }

  /** On the abscissa of a chart, if that has the times of the moments, or the values that the setting goes through. */
  function placeOf({ exhibit, drawn }: ShownChart, { value, unit, leg }: NonNullable<FilmFrame['at']>): number | null {
    const shown = drawn.drawing.axes.x?.unit
    const curves = curvesOf(exhibit)
    if (shown == null || unit === null || curves.some(({ xPlus }) => xPlus !== undefined)) return null
    const isOver = curves.some(({ step }) =>
      bench.document.value?.steps[step]?.over?.some((own) => own.is === 'values' && leg.is === 'values' && bench.over.isSame(own, leg)),
    )
    return leg.is === 'moments' || isOver ? inUnit({ value, unit }, shown) : null
  }

  return { pictureOf }
}
