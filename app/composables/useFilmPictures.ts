/** The pictures of a film: what the stage shows, with a chart beside it on which a line runs along. */
import { curvesOf } from '~~/core/study/chart'
import type { Film } from '~~/core/study/film'
import { inUnit } from '~~/core/units/typedNumbers'
import type { Annotations } from '~~/stage/annotations'
import { beside } from '~~/stage/film'
import type { LegendSpec } from '~~/stage/legend'
import { drawPicture } from '~~/stage/picture'
import type { Stage } from '~~/stage/Stage'
import type { ShownChart } from './useCharts'
import type { FilmFrame } from './useFilm'

export interface FilmScene {
  stage: Stage
  legends: readonly LegendSpec[]
  remarks: readonly string[]
  annotations: () => Annotations
}

/** Of the width. */
const CHART_SHARE = 0.38
/** Height over width of a chart, as far as there is room. */
const CHART_SHAPE = 0.8
const DPI = 96

export function useFilmPictures() {
  const bench = useBench()

  /** RGBA of the size of the film. */
  async function pictureOf(film: Film, { stage, legends, remarks, annotations }: FilmScene, frame: FilmFrame): Promise<Uint8Array> {
    const [width, height] = film.size
    const chart = bench.charts.charts.value.find(({ id }) => id === film.chart)
    const across = chart ? Math.round(width * CHART_SHARE) : 0
    const pixels = drawPicture(stage, {
      ...{ width: width - across, height, dpi: DPI, ground: 'white' as const },
      legends: film.hasLegend ? legends : [],
      remarks: [...(film.hasLegend ? remarks : []), ...(film.hasCaption && frame.caption ? [frame.caption] : [])],
      annotations: annotations(),
    })
    return chart ? beside(pixels, await chartOn(chart, across, height, frame), [width - across, across], height) : pixels
  }

  /** In the middle of white. */
  async function chartOn(chart: ShownChart, width: number, height: number, { at }: FilmFrame): Promise<Uint8Array> {
    const { chartPixels } = await import('~~/stage/chart/file')
    const up = Math.min(height, Math.round(width / (chart.look.aspect ?? 1 / CHART_SHAPE)))
    const mark = at && placeOf(chart, at)
    const look = mark == null ? chart.look : { ...chart.look, rules: [...(chart.look.rules ?? []), { axis: 'x' as const, at: mark }] }
    const { data } = chartPixels({ ...chart.drawn, look }, [width, up], 1)
    const pixels = new Uint8Array(4 * width * height).fill(255)
    pixels.set(data, 4 * width * ((height - up) >> 1))
    return pixels
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
