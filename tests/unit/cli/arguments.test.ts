import { describe, expect, it } from 'vitest'
import { readArguments, table } from '../../../cli/arguments'
import { chooseMoment } from '../../../cli/chooseMoment'
import { STEADY, timeMoment } from '../../../core/formats/SourceCase'
import type { Catalogue } from '../../../core/case/catalogue'

const kinds = { time: 'value', json: 'flag' } as const

describe('words of a command line', () => {
  it.each<[string[], string[], string | undefined, boolean]>([
    [['a.vtu', 'mean(T)'], ['a.vtu', 'mean(T)'], undefined, false],
    [['--json', 'a.vtu'], ['a.vtu'], undefined, true],
    [['a.vtu', '--time', '3'], ['a.vtu'], '3', false],
    [['a.vtu', '--time=3'], ['a.vtu'], '3', false],
    [['a.vtu', '--time', '-3'], ['a.vtu'], '-3', false],
    [['a.vtu', '-max(T)', '-1'], ['a.vtu', '-max(T)', '-1'], undefined, false],
    [['--', '--json'], ['--json'], undefined, false],
  ])('%o', (args, positional, time, json) => {
    const options = readArguments(args, kinds, 'usage')
    expect(options.positional).toEqual(positional)
    expect(options.value('time')).toBe(time)
    expect(options.has('json')).toBe(json)
  })

  it.each([[['--colour']], [['--time']], [['--json=yes']]])('%o is refused with the usage', (args) => {
    expect(() => readArguments(args, kinds, './stavik measure FILE')).toThrow(/usage: \.\/stavik measure FILE\.$/)
  })

  it('tables have columns of equal width and no blanks at their ends', () => {
    expect(
      table([
        ['a', 'long', 'c'],
        ['bb', 'x', ''],
      ]),
    ).toBe('a   long  c\nbb  x')
  })
})

describe('the moment meant', () => {
  const catalogue = (moments: { kind: string; label: string; value: number | null; unit: string | null }[]): Catalogue =>
    ({ moments: moments.map((moment, index) => ({ index, ...moment, topology: 0, coordinates: 0 })) }) as Catalogue
  const timed = catalogue([0, 0.5, 2].map((t) => timeMoment(t)))

  it.each<[string | undefined, string | undefined, number]>([
    [undefined, undefined, 0],
    ['0.5', undefined, 1],
    ['1.6', undefined, 2],
    ['-4', undefined, 0],
    [undefined, '2', 2],
    // an index is exact and wins
    ['0', '1', 1],
  ])('time %s, moment %s', (time, moment, index) => expect(chooseMoment(timed, time, moment)).toBe(index))

  it.each<[Catalogue, string | undefined, string | undefined, RegExp]>([
    [timed, 'soon', undefined, /takes a number, not “soon”/],
    [timed, undefined, '3', /no moment 3; the file has 0 to 2/],
    [timed, undefined, '-1', /no moment -1/],
    [timed, undefined, '0.5', /no moment 0\.5/],
    [catalogue([STEADY]), '1', undefined, /has no times; leave --time out/],
  ])('%#', (data, time, moment, message) => expect(() => chooseMoment(data, time, moment)).toThrow(message))
})
