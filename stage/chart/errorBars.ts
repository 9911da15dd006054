/** Bars from below to above the points of a curve: how far a measured value may be off. */
import type { Chart, ChartDataset, Plugin } from 'chart.js'

/** Half widths in the unit of the values, by point; null for none. */
export type WithErrors = ChartDataset<'line', { x: number; y: number }[]> & {
  errors?: readonly (number | null)[]
  /** Values run to the right. */
  isTurned?: boolean
}

/** Half of the width of the ends of a bar, in widths of its line. */
const CAP = 2.5

export const errorBars: Plugin<'line'> = {
  id: 'errorBars',
  afterDatasetDraw(chart, { index, meta }) {
    const set = chart.data.datasets[index] as WithErrors
    if (!set.errors) return
    const { isTurned = false } = set
    const scale = chart.scales[(isTurned ? set.xAxisID : set.yAxisID)!]!
    const { ctx, chartArea } = chart as Chart
    ctx.save()
    ctx.beginPath()
    ctx.rect(chartArea.left, chartArea.top, chartArea.right - chartArea.left, chartArea.bottom - chartArea.top)
    ctx.clip()
    ctx.strokeStyle = set.borderColor as string
    ctx.lineWidth = set.borderWidth as number
    ctx.setLineDash([])
    ctx.beginPath()
    meta.data.forEach((point, i) => {
      const error = set.errors![i]
      const { x, y } = set.data[i]!
      const value = isTurned ? x : y
      if (error == null || !Number.isFinite(value)) return
      const [low, high] = [value - error, value + error].map((end) => scale.getPixelForValue(end)) as [number, number]
      bar(ctx, isTurned ? point.y : point.x, [low, high], { isTurned, cap: CAP * (set.borderWidth as number) })
    })
    ctx.stroke()
    ctx.restore()
  },
}

function bar(
  ctx: CanvasRenderingContext2D,
  at: number,
  [low, high]: [number, number],
  { isTurned, cap }: { isTurned: boolean; cap: number },
): void {
  const line = (across: [number, number], along: [number, number]): void => {
    const [a, b] = isTurned ? [along[0], across[0]] : [across[0], along[0]]
    const [c, d] = isTurned ? [along[1], across[1]] : [across[1], along[1]]
    ctx.moveTo(a, b)
    ctx.lineTo(c, d)
  }
  line([at, at], [low, high])
  for (const end of [low, high]) line([at - cap, at + cap], [end, end])
}
