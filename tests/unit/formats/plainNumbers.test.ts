/** Numbers read byte by byte are those that the language reads, or left to it. */
import { expect, it, test } from 'vitest'
import { plainNumber, plainValue } from '../../../core/formats/plainNumbers'
import { TextScanner } from '../../../core/formats/TextScanner'

const bytesOf = (text: string): Uint8Array => new TextEncoder().encode(text)

it.each([
  '0',
  '-0',
  '+7',
  '12.',
  '.5',
  '-.25e1',
  '1e22',
  '1e-22',
  '9007199254740991',
  '0.1',
  '123456.789012',
  '1.7976e8',
  '-5.00000E-01',
  '4.35e-10',
  '00012',
  '1E+02',
  '3e05',
])('%s', (text) => {
  const bytes = bytesOf(`  ${text})`)
  expect(plainNumber(bytes, 2)).toBe(2 + text.length)
  expect(Object.is(plainValue(), Number(text))).toBe(true)
})

it.each([
  '',
  'x',
  '-',
  '.',
  '+.',
  'e5',
  '1e',
  '1e+',
  'nan',
  '-inf',
  '9007199254740992',
  '9007199254740993',
  '0.12345678901234567',
  '1e23',
  '1e-23',
  '1e999999',
])('“%s” is left to others', (text) => {
  expect(plainNumber(bytesOf(text), 0)).toBe(-1)
})

test('any number as it is usually written is the nearest one', () => {
  let seed = 1
  const random = (): number => (seed = (seed * 48271) % 2147483647) / 2147483647
  for (let i = 0; i < 20_000; i++) {
    const x = (random() - 0.5) * 10 ** Math.round(30 * random() - 15)
    for (const text of [x.toPrecision(1 + (i % 15)), x.toExponential(i % 15), String(Math.round(x * 1e6) / 1e6)]) {
      const end = plainNumber(bytesOf(text), 0)
      if (end < 0) continue
      expect(end).toBe(text.length)
      if (!Object.is(plainValue(), Number(text))) expect(plainValue()).toBe(Number(text))
    }
  }
})

test('a scanner takes both kinds one after the other, and what only begins like a number as a word', () => {
  const scanner = new TextScanner(bytesOf('1.5 0.12345678901234567\tnan 1D+03 12abc -7'), 'a')
  expect([1, 2, 3, 4, 5, 6, 7].map(() => scanner.numberOrWord())).toEqual([1.5, 0.12345678901234567, NaN, 1000, '12abc', -7, ''])
})
