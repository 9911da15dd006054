// eslint-disable-next-line @typescript-eslint/triple-slash-reference
/// <reference path="../svgcanvas.d.ts" />
/** Charts as files: the same drawing as SVG with text as text, as PDF with its fonts in it, and as PNG at a resolution. */
import { BasicPlatform, Chart } from 'chart.js'
import { Element as SvgCanvas } from 'svgcanvas'
import type { ChartDrawing } from '../../core/study/drawnCurves'
import type { ChartLook } from '../../core/study/chart'
import { gridOf, panelLook } from '../../core/study/chartPanels'
import type { ChartPanel } from '../../core/study/chartPanels'
import { PIXELS_PER_POINT } from '../pixels'
import { pngOf } from '../png'
import { chartConfig } from './config'
import type { ChartFrame, ChartTheme, LineChart } from './config'
import { drawHeading, headingHeight } from './lettering'
import { sfntOfWoff } from './woff'

export interface ChartToSave {
  drawing: ChartDrawing
  colours: readonly string[]
  look: ChartLook
  title: string
  /** In place of the whole, beside each other. */
  panels?: readonly ChartPanel[]
}

export interface PaperSize {
  /** Millimetres. */
  width: number
  height: number
}

/** For paper: black on white. */
const theme: ChartTheme = { ink: '#000000', line: '#d9d9d9', ground: '#ffffff', font: 'IBM Plex Sans' }
const frame: ChartFrame = { size: 9, width: 1.2 }
/** The font of the app, and what readers of drawings have in its place. */
const FAMILIES = `'${theme.font}', Arial, Helvetica, sans-serif`
const SVG = 'http://www.w3.org/2000/svg'
/** Charts are laid out in 96 of an inch. */
const PIXELS_PER_MM = 96 / 25.4

function configOf({ drawing, colours, look }: Omit<ChartToSave, 'title'>, isRecorded = false) {
  return chartConfig(drawing, colours, look, theme, { ...frame, isRecorded })
}

/** Without a page around it. */
function drawnBy(canvas: HTMLCanvasElement, config: ReturnType<typeof configOf>, ratio: number): LineChart {
  const options = { ...config.options, responsive: false, devicePixelRatio: ratio }
  return new Chart(canvas, { ...config, platform: BasicPlatform, options })
}

function inPixels({ width, height }: PaperSize): [number, number] {
  return [Math.round(width * PIXELS_PER_MM), Math.round(height * PIXELS_PER_MM)]
}

/** What stands above small charts. */
interface Heading {
  text: string
  pixels: number
  height: number
}

function headingOf({ panels, look }: Omit<ChartToSave, 'title'>): Heading | undefined {
  if (!panels || !look.title) return undefined
  const pixels = (look.size ?? frame.size) * PIXELS_PER_POINT
  return { text: look.title, pixels, height: Math.ceil(headingHeight(pixels)) }
}

function drawAbove(context: CanvasRenderingContext2D, { text, pixels }: Heading, width: number): void {
  context.fillStyle = theme.ink
  drawHeading(context, text, width, { pixels, font: theme.font })
}

interface Placed {
  chart: Omit<ChartToSave, 'title'>
  at: [number, number]
  size: [number, number]
}

/** The chart, or its panels, in a room. */
function placed({ panels, ...chart }: Omit<ChartToSave, 'title'>, [width, height]: readonly [number, number]): Placed[] {
  if (!panels) return [{ chart, at: [0, 0], size: [width, height] }]
  const above = headingOf({ panels, ...chart })?.height ?? 0
  const { columns, rows } = gridOf(panels.length, width, height - above)
  const [across, up] = [Math.floor(width / columns), Math.floor((height - above) / rows)]
  return panels.map(({ title, drawing, colours }, i) => ({
    chart: { drawing, colours, look: panelLook(chart.look, title) },
    at: [across * (i % columns), above + up * Math.floor(i / columns)],
    size: [across, up],
  }))
}

export function chartSvg(chart: ChartToSave, size: PaperSize): string {
  const [width, height] = inPixels(size)
  const svg = document.createElementNS(SVG, 'svg')
  for (const { at, ...one } of placed(chart, [width, height])) {
    const group = document.createElementNS(SVG, 'g')
    if (chart.panels) group.setAttribute('transform', `translate(${at[0]} ${at[1]})`)
    group.append(...recorded(one).children)
    svg.append(group)
  }
  const heading = headingOf(chart)
  if (heading) {
    const canvas = new SvgCanvas({ width, height: heading.height, enableMirroring: false })
    drawAbove(canvas.getContext('2d') as unknown as CanvasRenderingContext2D, heading, width)
    svg.append(...svgOf(canvas).children)
  }
  svg.setAttribute('xmlns', SVG)
  svg.setAttribute('viewBox', `0 0 ${width} ${height}`)
  svg.setAttribute('width', `${size.width}mm`)
  svg.setAttribute('height', `${size.height}mm`)
  for (const text of svg.querySelectorAll('text')) {
    if (text.textContent?.trim()) setPlainly(text)
    else text.remove()
  }
  const title = document.createElementNS(SVG, 'title')
  title.textContent = chart.title
  const ground = document.createElementNS(SVG, 'rect')
  for (const [name, value] of Object.entries({ width, height, fill: theme.ground })) ground.setAttribute(name, String(value))
  svg.prepend(title, ground)
  return new XMLSerializer().serializeToString(svg)
}

function recorded({ chart, size: [width, height] }: Omit<Placed, 'at'>): SVGSVGElement {
  const canvas = new SvgCanvas({ width, height, enableMirroring: false })
  const drawn = drawnBy(canvas as unknown as HTMLCanvasElement, configOf(chart, true), 1)
  const svg = svgOf(canvas)
  drawn.destroy()
  return svg
}

function svgOf(canvas: SvgCanvas): SVGSVGElement {
  return (canvas.getContext('2d') as unknown as { getSvg(): SVGSVGElement }).getSvg().cloneNode(true) as SVGSVGElement
}

/** As readers of drawings understand it: at the base line, with its spaces, in fonts that they have. */
function setPlainly(text: SVGTextElement): void {
  const size = Number.parseFloat(text.getAttribute('font-size') ?? '12')
  if (text.getAttribute('dominant-baseline') === 'central') text.setAttribute('y', String(Number(text.getAttribute('y')) + 0.35 * size))
  text.removeAttribute('dominant-baseline')
  text.removeAttribute('text-decoration')
  text.setAttribute('font-family', FAMILIES)
  text.setAttribute('xml:space', 'preserve')
}

export function chartPng(chart: ChartToSave, size: PaperSize, dpi: number): Blob {
  const { data, width, height } = chartPixels(chart, inPixels(size), dpi / 96)
  return pngOf(data, [width, height], dpi, chart.title)
}

/**
 * The chart on white as RGBA.
 *
 * @param size   in 96 of an inch
 * @param ratio  pixels of the picture in each of them
 */
export function chartPixels(
  chart: Omit<ChartToSave, 'title'>,
  [across, up]: readonly [number, number],
  ratio: number,
): { data: Uint8Array; width: number; height: number } {
  const canvas = document.createElement('canvas')
  const [width, height] = [Math.floor(across * ratio), Math.floor(up * ratio)]
  Object.assign(canvas, { width, height })
  const context = canvas.getContext('2d')!
  context.fillStyle = theme.ground
  context.fillRect(0, 0, width, height)
  for (const { chart: one, at, size } of placed(chart, [across, up])) drawOn(context, one, at, size, ratio)
  const heading = headingOf(chart)
  if (heading) {
    context.scale(ratio, ratio)
    drawAbove(context, heading, across)
  }
  const { data } = context.getImageData(0, 0, width, height)
  return { data: new Uint8Array(data.buffer), width, height }
}

function drawOn(
  context: CanvasRenderingContext2D,
  chart: Placed['chart'],
  at: readonly [number, number],
  [width, height]: readonly [number, number],
  ratio: number,
): void {
  const canvas = document.createElement('canvas')
  Object.assign(canvas, { width, height })
  const drawn = drawnBy(canvas, configOf(chart), ratio)
  context.drawImage(canvas, Math.round(at[0] * ratio), Math.round(at[1] * ratio))
  drawn.destroy()
}

/** Files of fonts hold some scripts each: WOFF 1. */
export type Script = 'latin' | 'greek' | 'math'

/** @param font  gives the file of a script */
export async function chartPdf(chart: ChartToSave, size: PaperSize, font: (script: Script) => Promise<ArrayBuffer>): Promise<Blob> {
  const [{ jsPDF }] = await Promise.all([import('jspdf'), import('svg2pdf.js')])
  const svg = new DOMParser().parseFromString(chartSvg(chart, size), 'image/svg+xml').documentElement as unknown as SVGSVGElement
  const orientation = size.width > size.height ? 'landscape' : 'portrait'
  const pdf = new jsPDF({ unit: 'mm', format: [size.width, size.height], orientation, compress: true })
  pdf.setProperties({ title: chart.title })
  for (const script of splitScripts(svg)) {
    const file = `${script}.ttf`
    pdf.addFileToVFS(file, base64(sfntOfWoff(new Uint8Array(await font(script)))))
    pdf.addFont(file, script, 'normal')
  }
  await pdf.svg(svg, { x: 0, y: 0, width: size.width, height: size.height })
  return pdf.output('blob')
}

/** Sets each run of a text in the font of its script. @returns the scripts that there are */
function splitScripts(svg: SVGSVGElement): Set<Script> {
  const found = new Set<Script>()
  for (const text of [...svg.querySelectorAll('text')]) {
    const runs: { script: Script; run: string }[] = []
    for (const letter of text.textContent ?? '') {
      const script = scriptOf(letter)
      if (runs.at(-1)?.script === script) runs.at(-1)!.run += letter
      else runs.push({ script, run: letter })
    }
    const places = runs.length > 1 ? placesOf(text, runs) : []
    const spans = runs.map(({ script, run }, i) => {
      const span = document.createElementNS(SVG, 'tspan')
      span.textContent = run
      span.setAttribute('font-family', script)
      if (places.length) span.setAttribute('x', String(places[i]))
      found.add(script)
      return span
    })
    text.replaceChildren(...spans)
  }
  return found
}

/** Where each run of a text begins: the writer of PDF does not know how wide a run in a font of its own is. */
function placesOf(text: SVGTextElement, runs: readonly { run: string }[]): number[] {
  const context = document.createElement('canvas').getContext('2d')!
  context.font = `${text.getAttribute('font-size')} "${theme.font}"`
  const widths = runs.map(({ run }) => context.measureText(run).width)
  const total = widths.reduce((sum, width) => sum + width, 0)
  const share = { middle: 0.5, end: 1 }[text.getAttribute('text-anchor') ?? ''] ?? 0
  text.setAttribute('text-anchor', 'start')
  let at = Number(text.getAttribute('x')) - share * total
  return widths.map((width) => (at += width) - width)
}

function scriptOf(letter: string): Script {
  if (/[\u0370-\u03ff]/.test(letter)) return 'greek'
  return /[\u0000-\u00ff\u0131\u0152\u0153\u2000-\u206f\u20ac\u2122\u2212\u2215]/.test(letter) ? 'latin' : 'math'
}

function base64(bytes: Uint8Array): string {
  let text = ''
  for (let i = 0; i < bytes.length; i += 8192) text += String.fromCharCode(...bytes.subarray(i, i + 8192))
  return btoa(text)
}
