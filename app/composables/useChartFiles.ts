/** Charts as files: pictures for papers, and their numbers with units and origin. */
import { writeCsv } from '~~/core/formats/write/csv'
import { chartColumns } from '~~/core/study/chartColumns'
import type { ChartToSave, PaperSize } from '~~/stage/chart/file'
import greek from '@fontsource/ibm-plex-sans/files/ibm-plex-sans-greek-400-normal.woff?url'
import latin from '@fontsource/ibm-plex-sans/files/ibm-plex-sans-latin-400-normal.woff?url'
import math from '@fontsource/noto-sans-math/files/noto-sans-math-latin-400-normal.woff?url'
import type { ShownChart } from './useCharts'
import type { Workbench } from './useWorkbench'

export const chartFormats = ['svg', 'pdf', 'png', 'csv', 'xlsx'] as const
export type ChartFormat = (typeof chartFormats)[number]

const fonts = { latin, greek, math }

export interface ChartPaper extends PaperSize {
  dpi: number
}

export function useChartFiles(bench: Workbench) {
  function toSave({ exhibit, drawn, look }: ShownChart): ChartToSave {
    return { ...drawn, look, title: `${bench.document.value!.name}: ${exhibit.name}` }
  }

  /** How the numbers came about: study, case, moment and every step. */
  function originOf({ curves }: ShownChart): string[] {
    const study = bench.document.value!
    const { caseId, moment } = bench.view
    // a steady case has but one
    const at = bench.cases.nMoments.value > 1 ? bench.cases.catalogue.value?.moments[moment] : undefined
    const when = at ? `, ${at.kind ?? 'moment'} ${at.value ?? moment + 1}${at.value !== null && at.unit ? ` ${at.unit}` : ''}` : ''
    return [
      `Study: ${study.name}`,
      `Case: ${study.cases[caseId ?? '']?.name ?? ''}${when}`,
      ...curves.map(({ step }) => `${study.steps[step]!.name}: ${bench.charts.sentenceOf(step, false)}`),
    ]
  }

  async function fileOf(chart: ShownChart, format: ChartFormat, paper: ChartPaper): Promise<Blob> {
    if (format === 'csv') return new Blob([csvOf(chart)], { type: 'text/csv' })
    if (format === 'xlsx') return sheetOf(chart)
    await document.fonts.load('12px "IBM Plex Sans"', 'Ωm')
    const { chartPdf, chartPng, chartSvg } = await import('~~/stage/chart/file')
    if (format === 'svg') return new Blob([chartSvg(toSave(chart), paper)], { type: 'image/svg+xml' })
    if (format === 'png') return chartPng(toSave(chart), paper, paper.dpi)
    return chartPdf(toSave(chart), paper, async (script) => (await fetch(fonts[script])).arrayBuffer())
  }

  function csvOf(chart: ShownChart): string {
    const origin = [...originOf(chart), ...chart.notes].map((line) => `# ${line.replace(/\s*\n\s*/g, ' ')}\n`)
    return `${origin.join('')}${writeCsv(chartColumns(chart.drawn.drawing))}`
  }

  async function sheetOf(chart: ShownChart): Promise<Blob> {
    const { Workbook } = await import('exceljs')
    const book = new Workbook()
    const sheet = book.addWorksheet('Curves', { views: [{ state: 'frozen', ySplit: 2 }] })
    const columns = chartColumns(chart.drawn.drawing)
    const n = columns.reduce((most, { values }) => Math.max(most, values.length), 0)
    sheet.addRow(columns.map(({ name }) => name)).font = { bold: true }
    sheet.addRow(columns.map(({ unit }) => unit ?? ''))
    for (let i = 0; i < n; i++) sheet.addRow(columns.map(({ values }) => (Number.isFinite(values[i]) ? values[i] : null)))
    columns.forEach(({ name }, c) => (sheet.getColumn(c + 1).width = Math.min(40, Math.max(12, name.length + 2))))
    const origin = book.addWorksheet('Origin')
    for (const line of [...originOf(chart), ...chart.notes, ...chart.drawn.drawing.cautions]) origin.addRow([line])
    origin.getColumn(1).width = 120
    return new Blob([await book.xlsx.writeBuffer()], { type: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet' })
  }

  /** With tabs between columns: spreadsheets take them as cells. */
  function textOf({ drawn }: ShownChart): string {
    return writeCsv(chartColumns(drawn.drawing), '\t')
  }

  return { fileOf, textOf }
}
