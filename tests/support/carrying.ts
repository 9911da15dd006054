/** What tests of carrying share: cases side by side, steps to carry onto, and values that are known everywhere. */
import type { CaseData } from '../../core/case/CaseData'
import { Computer } from '../../core/evaluate/Computer'
import { Graph } from '../../core/evaluate/Graph'
import { MapResults } from '../../core/evaluate/local'
import type { Frame, Plan } from '../../core/evaluate/plan'
import { CASE, wholeShape } from './evaluation'

export const linear = (x: number, y: number, z: number): number => 280 + 3 * x - 2 * y + 5 * z

/** Cases by name, whose parts have their names for them in the study. @param formulas  texts by names */
export function workbench(
  cases: Record<string, CaseData>,
  steps: Record<string, { kind: string; settings?: object; inputs?: object }>,
  formulas: Record<string, string> = {},
) {
  const names = Object.keys(cases)
  const parts = [...new Set(names.flatMap((name) => cases[name]!.catalogue.parts.map((part) => part.name)))]
  const fields = [...new Set(names.flatMap((name) => cases[name]!.catalogue.fields.map((field) => field.name)))]
  const bound = (has: (data: CaseData) => boolean, to: unknown) =>
    Object.fromEntries(names.flatMap((name) => (has(cases[name]!) ? [[name, to]] : [])))
  const plan = {
    cases: Object.fromEntries(names.map((name) => [name, CASE])),
    caseNames: Object.fromEntries(names.map((name) => [name, name])),
    parts: Object.fromEntries(
      parts.map((part) => [part, { name: part, binding: bound((d) => d.catalogue.parts.some(({ name }) => name === part), [part]) }]),
    ),
    variables: Object.fromEntries(
      fields.map((field) => [
        field,
        { name: field, binding: bound((d) => d.catalogue.fields.some(({ name }) => name === field), { field }) },
      ]),
    ),
    formulas: Object.fromEntries(Object.entries(formulas).map(([name, text]) => [name, { name, text }])),
    steps: Object.fromEntries(
      Object.entries(steps).map(([id, { kind, settings = {}, inputs = {} }]) => [id, { kind, settings: { ...settings }, inputs }]),
    ),
  } as unknown as Plan
  const snapshots = names.map((name) => [name, { key: name, id: CASE, generation: name, catalogue: cases[name]!.catalogue }] as const)
  const graph = new Graph(plan, new Map(snapshots))
  const computer = new Computer({
    graph,
    results: new MapResults(),
    dataOf: ({ frame }) => cases[frame.case]!,
    check: () => undefined,
    isAlone: true,
    deflate: (bytes) => bytes,
  })
  const json = (step: string, frame: Frame) => (computer.run(graph.outcome(step, frame)) as { json: unknown }).json
  const data = (name: string) => computer.data({ case: name, moment: 0 })
  return { graph, json, data, shape: (step: string, frame: Frame) => wholeShape(computer.shapeOf(step, frame)) }
}

/** Of a step that carries. */
export const settings = { variable: 'T', case: '', by: 'between', count: 6, reach: 'any', radius: 1, outside: 'gap', value: 0 }
export const line = { kind: 'line', settings: { start: [0.1, 0.2, 0.3], end: [0.9, 0.7, 0.6] } }
export const sheet = {
  kind: 'sheet',
  settings: { origin: [0.5, 0.5, 0.4], normal: [0, 0.6, 0.8], middle: [0.5, 0.5, 0.5], side: 0.5, count: 9 },
}
export const column = (shape: ReturnType<typeof wholeShape>, name: string) => shape.columns.find((own) => own.name === name)!
export const gridPoints = (n: number) =>
  Float64Array.from(
    Array.from({ length: n ** 3 }, (_, i) => [i % n, Math.floor(i / n) % n, Math.floor(i / n / n)].map((c) => c / (n - 1))).flat(),
  )
