/** The key to a variable's colours, drawn with canvas 2D: the same on the stage and in pictures. */
import { colourAt } from '../core/colour/maps'
import { colourPlace, scaleTicks, shareOf } from '../core/colour/scale'
import type { ColourScale } from '../core/colour/scale'
import { formatAs, formatNumber } from '../core/colour/ticks'
import type { LegendOptions } from '../core/study/studyModel'
import type { LegendToPlace } from './legendPlaces'
import { fillRich, richWidth } from './richText'

export interface LegendSpec extends LegendOptions {
  /** Variable that it is of; what is said of it is kept under this. */
  variable: string
  /** Steps whose colours it explains. */
  steps: readonly string[]
  /** Name of the variable, where it has no title of its own. */
  name: string
  unit: string | null
  /** Whose range it is: “this step”, “by hand”. */
  range: string
  map: string
  isReversed?: boolean | undefined
  scale: ColourScale
  /** Colours of what lies beyond. */
  low?: string | undefined
  high?: string | undefined
  /** Whether the range is another at every moment. */
  isOfMoment: boolean
  /** Whether the range is known already. */
  isReady: boolean
  /** Extremes of what is shown, where they differ from the range. */
  seen: readonly [number, number] | null
}

const INK = '#1F2A2E'
const MUTED = '#5E6B6E'
const LINE = '#B9C0BC'
export const STAGE_GROUND = '#EEF0EC'
const SANS = '"IBM Plex Sans", sans-serif'
const MONO = '"IBM Plex Mono", monospace'

/** Points, at the type size that is meant first. */
export const LEGEND_TYPE = 8.5
const WIDTH = 96
const BAR_TOP = 34
const BAR_WIDTH = 11
export const LEGEND_LENGTH = 130
const BELOW = 21
/** Of a lying one below its bar: ticks, ends, and what is seen. */
const LYING_BELOW = 36
/** Beside it: half of the number at its end. */
const LYING_SIDE = 16
/** Blocks for what lies beyond the ends. */
const BEYOND = 8
const PAD = 6

/** Width and height in points at scale 1. */
export function legendSize({ size = LEGEND_TYPE, length = LEGEND_LENGTH, isLying, hasFrame, ground }: LegendOptions): [number, number] {
  const k = size / LEGEND_TYPE
  const pad = hasFrame || ground ? 2 * PAD : 0
  return isLying
    ? [Math.max(length, WIDTH * k) + 2 * LYING_SIDE * k + pad, (BAR_TOP - 8 + BAR_WIDTH + LYING_BELOW) * k + pad]
    : [WIDTH * k + pad, (BAR_TOP + BELOW) * k + length + pad]
}

/** A legend as it is placed. @param scale  of the room's unit to a point */
export function legendToPlace(spec: LegendOptions, scale: number): LegendToPlace {
  const [width, height] = legendSize(spec)
  const { place } = spec
  return { width: width * scale, height: height * scale, place: place && { ...place, x: place.x * scale, y: place.y * scale } }
}

/** The bar within a legend, in points from its top left: for handles that are laid over it. */
export function legendBar({ size = LEGEND_TYPE, length = LEGEND_LENGTH, isLying, hasFrame, ground }: LegendOptions): {
  x: number
  y: number
  width: number
  height: number
} {
  const k = size / LEGEND_TYPE
  const pad = hasFrame || ground ? PAD : 0
  return isLying
    ? { x: pad + LYING_SIDE * k, y: pad + (BAR_TOP - 8) * k, width: length, height: BAR_WIDTH * k }
    : { x: pad, y: pad + BAR_TOP * k, width: BAR_WIDTH * k, height: length }
}

/** Where a value stands along a bar, 0 to 1: listed levels are equally far apart. */
export function placeOnBar(value: number, scale: ColourScale): number {
  const { levels } = scale
  if (!levels) return Math.min(Math.max(shareOf(value, scale), 0), 1)
  const i = Math.min(
    Math.max(
      levels.findLastIndex((level) => level <= value),
      0,
    ),
    levels.length - 2,
  )
  const [from, to] = [levels[i]!, levels[i + 1]!]
  return Math.min(Math.max((i + (value - from) / (to - from || 1)) / (levels.length - 1), 0), 1)
}

/** @param scale  pixels per point */
export function drawLegend(context: CanvasRenderingContext2D, spec: LegendSpec, x: number, y: number, scale: number): void {
  const { size = LEGEND_TYPE } = spec
  const [width, height] = legendSize(spec)
  context.save()
  context.translate(x, y)
  context.scale(scale, scale)
  if (spec.ground || spec.hasFrame) drawGround(context, spec, width, height)
  // everything but the length of the bar goes with the type
  const k = size / LEGEND_TYPE
  const pad = spec.hasFrame || spec.ground ? PAD : 0
  context.translate(pad, pad)
  context.scale(k, k)
  context.textBaseline = 'alphabetic'
  const room = (width - 2 * pad) / k
  context.fillStyle = INK
  if (spec.isLying) context.translate(LYING_SIDE, 0)
  drawTitle(context, spec.title ?? spec.name, room - (spec.isLying ? 2 * LYING_SIDE : 0))
  context.font = `400 ${LEGEND_TYPE}px ${SANS}`
  context.fillStyle = MUTED
  const unit = spec.unit === null ? 'unit unknown' : spec.unit === '1' ? 'no unit' : spec.unit
  context.fillText(fitted(context, `${unit} · ${spec.range}`, room), 0, 21)
  const length = (spec.length ?? LEGEND_LENGTH) / k
  if (spec.isLying) context.translate(0, BAR_TOP - 8)
  else context.translate(0, BAR_TOP)
  drawBar(context, spec, length)
  drawTicks(context, spec, length)
  context.restore()
}

function drawGround(context: CanvasRenderingContext2D, { ground, hasFrame }: LegendSpec, width: number, height: number): void {
  if (ground) {
    context.fillStyle = ground === 'white' ? '#FFFFFF' : STAGE_GROUND
    context.fillRect(0, 0, width, height)
  }
  if (!hasFrame) return
  context.fillStyle = LINE
  for (const [x, y, w, h] of [
    [0, 0, width, 0.75],
    [0, height - 0.75, width, 0.75],
    [0, 0, 0.75, height],
    [width - 0.75, 0, 0.75, height],
  ] as const)
    context.fillRect(x, y, w, h)
}

function drawTitle(context: CanvasRenderingContext2D, title: string, room: number): void {
  const font = (size: number): string => `500 ${size}px ${SANS}`
  const size = LEGEND_TYPE + 1
  // a long title is set smaller before it is cut
  const width = richWidth(context, title, size, font)
  const fitting = width <= room ? size : Math.max(0.75 * size, (size * room) / width)
  context.font = font(fitting)
  if (richWidth(context, title, fitting, font) <= room + 0.5) fillRich(context, title, [0, 9], fitting, font)
  else {
    context.font = font(fitting)
    context.fillText(fitted(context, title, room), 0, 9)
  }
}

/** What must be known to read a drawing: what arrows show, by how much something is displaced. One line each, from the bottom up. */
export function drawRemarks(context: CanvasRenderingContext2D, remarks: readonly string[], x: number, bottom: number, scale: number): void {
  context.save()
  context.translate(x, bottom)
  context.scale(scale, scale)
  context.textBaseline = 'alphabetic'
  context.fillStyle = INK
  context.font = `400 ${LEGEND_TYPE}px ${SANS}`
  remarks.forEach((text, i) => context.fillText(text, 0, -(remarks.length - 1 - i) * REMARK_HEIGHT))
  context.restore()
}

/** Points from one remark to the next. */
const REMARK_HEIGHT = 12

/** A stretch of the bar, from 0 to 1. */
function fillStretch(context: CanvasRenderingContext2D, isLying: boolean | undefined, length: number, from: number, to: number): void {
  if (isLying) context.fillRect(from * length, 0, (to - from) * length + 0.3, BAR_WIDTH)
  else context.fillRect(0, (1 - to) * length, BAR_WIDTH, (to - from) * length + 0.3)
}

function drawBar(context: CanvasRenderingContext2D, { map, isReversed, scale, isLying, low, high }: LegendSpec, length: number): void {
  const css = (t: number): string => `rgb(${colourAt(map, t, isReversed).join(' ')})`
  const n = scale.levels ? scale.levels.length - 1 : scale.bands
  if (n === 0) {
    const smooth = isLying ? context.createLinearGradient(0, 0, length, 0) : context.createLinearGradient(0, length, 0, 0)
    for (let i = 0; i <= 40; i++) smooth.addColorStop(i / 40, css(i / 40))
    context.fillStyle = smooth
    fillStretch(context, isLying, length, 0, 1)
  }
  for (let i = 0; i < n; i++) {
    context.fillStyle = css((i + 0.5) / n)
    fillStretch(context, isLying, length, i / n, (i + 1) / n)
  }
  const apart = 1.5 / length
  const block = BEYOND / length
  for (const [colour, from, to] of [
    [low, -apart - block, -apart],
    [high, 1 + apart, 1 + apart + block],
  ] as const) {
    if (!colour || colour === 'hidden') continue
    context.fillStyle = colour
    fillStretch(context, isLying, length, from, to)
  }
}

function drawTicks(context: CanvasRenderingContext2D, spec: LegendSpec, length: number): void {
  const { scale, seen, format, digits, nTicks = 5 } = spec
  const values = spec.ticks?.filter((value) => value >= scale.min && value <= scale.max) ?? scaleTicks(scale, nTicks)
  const write = writerOf([...values, scale.min, scale.max], format, digits)
  context.font = `400 ${LEGEND_TYPE}px ${MONO}`
  context.fillStyle = INK
  const ticks = values.map((value) => ({ at: placeOnBar(value, scale) * length, text: write(value) }))
  const numbers = spec.isLying ? fittingBelow(context, ticks, length) : ticks
  if (spec.isLying) drawNumbersBelow(context, ticks, numbers)
  else drawNumbersBeside(context, ticks, length)
  // where a number stands at the very end, it is not said twice
  const isTold = (end: number): boolean =>
    numbers.some(({ at, text }) => text === write(end) && Math.abs(at / length - placeOnBar(end, scale)) < 0.02)
  const ends = [scale.min, scale.max].map((end) => (isTold(end) ? '' : write(end))) as [string, string]
  const isOther = seen && (formatNumber(seen[0]) !== formatNumber(scale.min) || formatNumber(seen[1]) !== formatNumber(scale.max))
  // exact ends stand apart from the round numbers; what is shown may not reach them, or go beyond
  context.font = `400 7.5px ${MONO}`
  context.fillStyle = MUTED
  if (spec.isLying) drawEndsBelow(context, ends, length)
  else drawEnds(context, ends, length)
  if (!isOther) return
  const room = spec.isLying ? Math.max(length, WIDTH) : WIDTH
  context.fillText(seenInWords(context, seen, room), 0, spec.isLying ? BAR_WIDTH + 31 : length + 18)
}

type Numbers = readonly { at: number; text: string }[]

function drawNumbersBeside(context: CanvasRenderingContext2D, numbers: Numbers, length: number): void {
  for (const { at, text } of numbers) {
    context.fillRect(BAR_WIDTH, length - at - 0.25, 3, 0.5)
    context.fillText(text, BAR_WIDTH + 5, length - at + 3)
  }
}

/** Those that there is room for side by side: the first, the last, and what fits between them. */
function fittingBelow(context: CanvasRenderingContext2D, numbers: Numbers, length: number): Numbers {
  const spanOf = ({ at, text }: Numbers[number]): [number, number] => {
    const half = context.measureText(text).width / 2
    return [at - half, at + half]
  }
  const kept: Numbers[number][] = []
  for (const number of [numbers[0], numbers[numbers.length - 1], ...numbers.slice(1, -1)]) {
    if (!number || kept.includes(number)) continue
    const [from, to] = spanOf(number)
    const isClear = kept.map(spanOf).every(([start, end]) => to + 4 <= start || from >= end + 4)
    if (isClear && from >= -LYING_SIDE && to <= length + LYING_SIDE) kept.push(number)
  }
  return kept
}

function drawNumbersBelow(context: CanvasRenderingContext2D, ticks: Numbers, numbers: Numbers): void {
  for (const { at } of ticks) context.fillRect(at - 0.25, BAR_WIDTH, 0.5, 3)
  for (const { at, text } of numbers) context.fillText(text, at - context.measureText(text).width / 2, BAR_WIDTH + 11)
}

function drawEnds(context: CanvasRenderingContext2D, [low, high]: readonly [string, string], length: number): void {
  if (high) context.fillText(`max ${high}`, 0, -3)
  if (low) context.fillText(`min ${low}`, 0, length + 9)
}

/** Numbers alone, where both words do not stand beside one another. */
function drawEndsBelow(context: CanvasRenderingContext2D, [low, high]: readonly [string, string], length: number): void {
  const widthOf = (text: string): number => context.measureText(text).width
  const inWords = [low && `min ${low}`, high && `max ${high}`] as const
  const [first, last] = widthOf(inWords.join('  ')) <= length ? inWords : [low, high]
  context.fillText(first, 0, BAR_WIDTH + 22)
  context.fillText(last, Math.max(length - widthOf(last), first ? widthOf(`${first} `) : 0), BAR_WIDTH + 22)
}

/** Of the range: numbers are told to this, whatever digits are asked for. */
const TRUE_TO = 0.004

/** Writes numbers of fixed digits with so many more that none of them is another than its level. */
function writerOf(values: readonly number[], format: LegendOptions['format'], wanted: number | undefined): (value: number) => string {
  if (format !== 'fixed') return (value) => formatAs(value, format, wanted)
  const slack = TRUE_TO * (Math.max(...values) - Math.min(...values))
  let digits = wanted ?? 2
  while (digits < 12 && values.some((value) => Math.abs(Number(value.toFixed(digits)) - value) > slack)) digits++
  return (value) => formatAs(value, format, digits)
}

/** With as many digits as there is room for. */
function seenInWords(context: CanvasRenderingContext2D, [low, high]: readonly [number, number], room: number): string {
  const texts = [4, 3, 2].map((digits) => `here ${formatNumber(low, digits)} to ${formatNumber(high, digits)}`)
  return texts.find((text) => context.measureText(text).width <= room) ?? fitted(context, texts[texts.length - 1]!, room)
}

function fitted(context: CanvasRenderingContext2D, text: string, width: number): string {
  if (context.measureText(text).width <= width) return text
  let end = text.length
  while (end > 1 && context.measureText(`${text.slice(0, end)}…`).width > width) end--
  return `${text.slice(0, end)}…`
}

/** Colour of a value as CSS. */
export function legendColour({ map, isReversed, scale }: LegendSpec, value: number): string {
  return `rgb(${colourAt(map, colourPlace(value, scale), isReversed).join(' ')})`
}
