/** What can be typed for each type of token of a sentence. */
import type { Vector } from '../mesh/vectors'
import { unitOfNumbers } from '../steps/offers'
import type { SentencePiece, Surroundings } from '../steps/offers'
import type { StepKind } from '../steps/StepKind'
import { inUnit } from '../units/typedNumbers'
import type { TypedNumber } from '../units/typedNumbers'
import { parseUnit } from '../units/units'
import { inputClassOf } from './inputClass'
import type { InputRef, Study } from './studyModel'
import {
  conditionIn,
  escaped,
  fillers,
  isFormula,
  lettered,
  numberIn,
  onlyPartOf,
  shownUnit,
  takePlaces,
  takesSeveral,
  variablesOf,
  whereIn,
  withUnits,
} from './typedWords'

/** Units that steps keep their numbers in. */
export interface TypedUnits {
  length: string
  of(variable: string): string | null
  /** Values of a formula at a place; undefined while they are not known. */
  components?(variable: string): number | undefined
  /** Unit in which numbers of such a unit are shown, and typed when nothing else is said. */
  shown(unit: string): string
}

interface Reading {
  study: Study
  units: TypedUnits
  around: Surroundings
}

/** Places that are typed where lines or points can stand. */
export interface Places {
  input: string
  places: Vector[]
}

export interface TokensRead {
  settings: Record<string, unknown>
  inputs: Record<string, InputRef[]>
  colour: string | null
  /** Points that it is to be made of. */
  places: Places | undefined
  unknown: string[]
  /** Numbers of the sentence that were not given. */
  nOpen: number
}

type Token = Exclude<SentencePiece, string>
type TokenOf<T extends Token['token']> = Extract<Token, { token: T }>

const axes: Record<string, Vector> = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] }

/** @param verb  the word that names the kind; it may mean a choice as well, as in “mean T” */
export function readTokens(kind: StepKind, verb: string, rest: string, reading: Reading): TokensRead {
  const reader = new TokenReader(kind, reading, rest)
  reader.readCondition()
  reader.readCalculation()
  reader.readColour()
  reader.readPlaces()
  reader.readChoices(verb)
  reader.readCases()
  reader.readNames()
  // what is named may bring choices with it
  reader.readChoices(verb)
  reader.readWords()
  return reader.finish()
}

class TokenReader {
  private readonly settings: Record<string, unknown> = {}
  private readonly inputs: Record<string, InputRef[]> = {}
  private colour: string | null = null
  private places: Places | undefined
  private readonly unknown: string[] = []
  /** Settings that were given. */
  private readonly given = new Set<string>()
  private text: string

  constructor(
    private readonly kind: StepKind,
    private readonly reading: Reading,
    rest: string,
  ) {
    this.text = ` ${rest} `
  }

  /** Which tokens there are may depend on what was chosen. */
  private tokens<T extends Token['token']>(type: T): TokenOf<T>[] {
    const settings = this.kind.defaults(this.reading.around, this.settings)
    const first = this.kind.inputs[0] && this.inputs[this.kind.inputs[0].name]?.[0]
    const pieces = this.kind.sentence(settings, first && inputClassOf(this.reading.study, first))
    return pieces.filter((piece): piece is TokenOf<T> => typeof piece !== 'string' && piece.token === type)
  }

  private set(setting: string, value: unknown): void {
    this.settings[setting] = value
    this.given.add(setting)
  }

  readCondition(): void {
    const [token] = this.tokens('condition')
    const found = token && conditionIn(this.text)
    if (!found) return
    const { study, units } = this.reading
    this.set(
      token.setting,
      withUnits(found.condition, (name) => shownUnit(study, name, units)),
    )
    this.text = found.rest
  }

  /** All up to “from”: an expression, in which readings may stand by their names. */
  readCalculation(): void {
    const [token] = this.tokens('calculation')
    if (!token) return
    const end = /\sfrom\s/i.exec(this.text)?.index ?? this.text.length
    const { text: written, named } = lettered(this.text.slice(0, end).trim(), this.reading.study)
    if (!isFormula(written)) return
    this.set(token.setting, written)
    if (named.length) this.inputs[token.input] = named.map((step) => ({ step }))
    this.text = ` ${this.text.slice(end)} `
  }

  readColour(): void {
    const said = (this.hasOwnBy() ? /\scolou?red by(?=\s)/i : /\s(?:colou?red )?by(?=\s)/i).exec(this.text)
    if (!said || !this.kind.hasColour) return
    const after = this.text.slice(said.index + said[0].length)
    const [id, { name } = { name: '' }] =
      variablesOf(this.reading.study)
        .sort(([, a], [, b]) => b.name.length - a.name.length)
        .find(([, v]) => whereIn(after, v.name) === 0) ?? []
    if (id === undefined) return
    this.colour = id
    this.text = this.text.slice(0, said.index) + after.slice(name.length + 1)
  }

  /** Whether a variable stands behind a “by” of the sentence: “deform by displacement”. */
  private hasOwnBy(): boolean {
    const pieces = this.kind.sentence(this.kind.defaults(this.reading.around, this.settings))
    return pieces.some((piece, i) => typeof piece !== 'string' && piece.token === 'variable' && /\sby\s*$/.test(String(pieces[i - 1])))
  }

  /** What numbers are taken of can be typed itself: “T at 0.3 0.2 0.5”. */
  readPlaces(): void {
    const input = this.kind.inputs.find(({ accepts }) => accepts.includes('lines'))
    if (!(this.kind.reading ?? this.kind.curve) || !input || this.tokens('position').length) return
    const { places, rest } = takePlaces(this.text)
    const found = places.map((numbers) => this.placeOf(numbers)).filter((place) => place !== undefined)
    if (!found.length) return
    this.places = { input: input.name, places: found }
    this.text = rest
  }

  /** Numbers without a unit have the last one that is named. */
  private placeOf(numbers: readonly TypedNumber[]): Vector | undefined {
    const unit = numbers.findLast((n) => n.unit !== undefined)?.unit
    const place = numbers.map((n) => this.valueIn({ ...n, unit: n.unit ?? unit }, this.reading.units.length))
    return place.every((x) => x !== undefined) ? (place as Vector) : undefined
  }

  readChoices(verb: string): void {
    // a choice may bring further ones with it
    for (const { setting } of this.tokens('choice')) {
      if (this.given.has(setting)) continue
      const options = this.tokens('choice').find((token) => token.setting === setting)?.options ?? []
      const words = options
        .flatMap(({ value, label, words: own = [] }) => [label.replace(/ \(.*/, ''), ...own].map((word) => ({ value, word })))
        .sort((a, b) => b.word.length - a.word.length)
      const found = words.find(({ word }) => whereIn(` ${verb} ${this.text}`, word) >= 0)
      if (!found) continue
      this.set(setting, found.value)
      this.takeName(found.word)
    }
  }

  /** “in 80 L/s”: a case by its name. */
  readCases(): void {
    for (const { setting } of this.tokens('case')) {
      const all = [['', { name: 'this case' }] as const, ...Object.entries(this.reading.study.cases)]
      const named = all.sort(([, a], [, b]) => b.name.length - a.name.length)
      for (const [id, { name }] of named) {
        const at = this.takeName(name)
        if (at < 0) continue
        // what has a single part that no other case has, as a table does, stands for it
        const part = onlyPartOf(this.reading.study, id)
        if (part === undefined) this.set(setting, id)
        else this.text = `${this.text.slice(0, at)} ${part}${this.text.slice(at + name.length + 1)}`
        break
      }
    }
  }

  /** Parts, steps and variables, longer names first: others may be words of theirs. */
  readNames(): void {
    const { study } = this.reading
    const named = [
      ...Object.entries(study.parts).map(([id, { name }]) => ({
        name,
        use: (lead: string) => this.useInput({ part: id }, name, lead),
      })),
      ...Object.entries(study.steps).map(([id, { name }]) => ({
        name,
        // what steps yield stands “in” nothing
        use: (lead: string) => this.useInput({ step: id }, name, lead === 'in' ? '' : lead),
      })),
      ...variablesOf(study).map(([id, { name }]) => ({ name, use: () => this.useVariable(id, name) })),
    ].sort((a, b) => b.name.length - a.name.length)
    const found: { at: number; lead: string; use: (lead: string) => void }[] = []
    const leads = ['in', ...this.kind.inputs.map(({ name }) => name)]
    // names as they are written before names in another case
    for (const isExact of [true, false]) {
      for (const { name, use } of named) {
        const before = this.text
        const at = this.takeName(name, isExact)
        if (at < 0) continue
        // “onto”, “from”: the input that is called so
        const word = /\s(\S+)$/.exec(before.slice(0, at))?.[1]?.toLowerCase() ?? ''
        found.push({ at, lead: leads.includes(word) ? word : '', use })
      }
    }
    // what the name of an input stands before first, and what it is of before what it is in
    const rank = (lead: string): number => (lead === 'in' ? 2 : lead === '' ? 1 : 0)
    found.sort((a, b) => rank(a.lead) - rank(b.lead) || a.at - b.at)
    for (const { use, lead } of found) use(lead)
  }

  /** Puts spaces in place of a name. @returns where it stood, -1 for nowhere */
  private takeName(name: string, isExact = false): number {
    const at = whereIn(this.text, name, isExact)
    if (at < 0) return at
    // “in” before a name is no inch
    const from = at - (/\sin$/i.exec(this.text.slice(0, at))?.[0].length ?? 0)
    const to = at + name.length + 1
    this.text = this.text.slice(0, from) + ' '.repeat(to - from) + this.text.slice(to)
    return at
  }

  /** @param lead  word before it that names an input, or “in”: where something is that was named */
  private useInput(ref: InputRef, name: string, lead: string): void {
    const found = inputClassOf(this.reading.study, ref)
    const settings = this.kind.defaults(this.reading.around, this.settings)
    const all = this.kind.narrowed?.(settings) ?? this.kind.inputs
    const isInside = lead === 'in' && (this.places || Object.keys(this.inputs).length > 0) && all.some(({ name: input }) => input === 'in')
    const named = all.filter(({ name: input }) => input === lead && lead !== 'in')
    // behind a word that stands for one input only, such as “onto”, it is that one or none
    const led = lead === '' || fillers.has(lead) ? [...named, ...all.filter((own) => !named.includes(own))] : named
    const spec = (isInside ? all.filter(({ name: input }) => input === 'in') : led).find(
      ({ name: input, accepts, isList, makes }) =>
        found !== undefined &&
        accepts.includes(found) &&
        input !== this.places?.input &&
        (isList || !this.inputs[input] || takesSeveral(makes, found)),
    )
    if (spec) this.inputs[spec.name] = [...(this.inputs[spec.name] ?? []), ref]
    else this.unknown.push(name)
  }

  private useVariable(id: string, name: string): void {
    const { study, units } = this.reading
    const components = study.variables[id]?.components ?? units.components?.(id)
    const token = this.tokens('variable').find(({ setting, kind }) => {
      const fits = kind === 'any' || components === undefined || (kind === 'scalar') === (components === 1)
      return fits && !this.given.has(setting)
    })
    if (token) this.set(token.setting, id)
    else if (this.begins(id)) this.set('variable', id)
    else if (this.kind.hasColour && this.colour === null) this.colour = id
    else this.unknown.push(name)
  }

  /** Whether a variable makes a sentence with it of one without: “measure T” is its mean. */
  private begins(id: string): boolean {
    if (this.tokens('variable').length) return false
    const settings = this.kind.defaults(this.reading.around, { ...this.settings, variable: id })
    return this.kind.sentence(settings).some((piece) => typeof piece !== 'string' && piece.token === 'variable')
  }

  /** Numbers behind the word that stands before them in the sentence: “radius 3”. */
  private readNamedNumbers(): void {
    const settings = this.kind.defaults(this.reading.around, this.settings)
    const pieces = this.kind.sentence(settings)
    for (const [i, piece] of pieces.entries()) {
      const [label = ''] = /\p{L}{3,}(?=\s*$)/u.exec(typeof pieces[i - 1] === 'string' ? (pieces[i - 1] as string) : '') ?? []
      if (typeof piece === 'string' || piece.token !== 'number' || !label || fillers.has(label)) continue
      const found = new RegExp(`\\s${escaped(label)}\\s+(?:=\\s*|of\\s+)?(\\S+?),?(?:\\s+([^\\s,;]+))?(?=[\\s,;])`, 'iu').exec(this.text)
      const number = found && numberIn(found[1]!)
      if (!found || !number || this.given.has(piece.setting)) continue
      const hasUnit = number.unit === undefined && found[2] !== undefined && parseUnit(found[2]) !== null
      const unit = hasUnit ? found[2] : number.unit
      const value = this.valueIn({ ...number, unit }, this.unitOf(piece))
      if (value === undefined) continue
      this.set(piece.setting, value)
      const length = found[0].length - (hasUnit ? 0 : (found[2]?.length ?? 0))
      this.text = this.text.slice(0, found.index) + ' '.repeat(length) + this.text.slice(found.index + length)
    }
  }

  private unitOf(token: TokenOf<'number' | 'numbers'>): string | null {
    return unitOfNumbers(token, this.reading.units.length, (id) => this.reading.units.of(id))
  }

  /** Axes and numbers, and what means nothing. */
  readWords(): void {
    this.readNamedNumbers()
    const numbers: TypedNumber[] = []
    let axis: string | undefined
    // a number behind a name that is not known is part of it
    const words = this.text.match(/(?<=\s)\p{Lu}\p{L}* \d+(?=\s)|(?:[^\s=;,]|,(?=\d))+/gu) ?? []
    for (const word of words) {
      const number = numberIn(word)
      const last = numbers[numbers.length - 1]
      if (axes[word.toLowerCase()] && (this.tokens('plane').length || this.tokens('direction').length)) axis = word.toLowerCase()
      else if (number) numbers.push(number)
      else if (last && !last.unit && parseUnit(word)) last.unit = word
      else if (!fillers.has(word.toLowerCase()) && !this.isOfSentence(word)) this.unknown.push(word)
    }
    this.useAxis(axis)
    while (numbers.length) this.useNumber(numbers, axis)
  }

  private useAxis(axis: string | undefined): void {
    if (axis === undefined) return
    const [direction] = this.tokens('direction')
    if (this.tokens('plane').length) this.set('normal', axes[axis])
    else if (direction) this.set(direction.setting, axes[axis])
  }

  private isCount(setting: string, { value, unit }: TypedNumber): boolean {
    const { minimum = 1 } = (this.kind.settings.properties[setting] ?? {}) as { minimum?: number }
    return unit === undefined && Number.isInteger(value) && value >= Math.max(1, minimum)
  }

  /** Takes one number off the list, or the three of a position. */
  private useNumber(numbers: TypedNumber[], axis: string | undefined): void {
    const [number] = numbers as [TypedNumber]
    const { units } = this.reading
    const [plane] = this.tokens('plane')
    const position = this.tokens('position').find(({ setting }) => !this.given.has(setting))
    const [list] = this.tokens('positions')
    if (position && numbers.length >= 3) {
      const place = this.placeOf(numbers.splice(0, 3))
      if (place) this.set(position.setting, place)
      return
    }
    if (list && numbers.length >= 3) {
      const place = numbers.splice(0, 3).map((n) => this.valueIn(n, units.length))
      if (place.every((x) => x !== undefined)) this.set(list.setting, [...((this.settings[list.setting] as Vector[]) ?? []), place])
      return
    }
    numbers.shift()
    if (plane && !this.given.has('origin')) {
      const value = this.valueIn(number, units.length)
      const normal = axes[axis ?? 'z']!
      if (axis === undefined && value !== undefined) this.set('normal', normal)
      if (value !== undefined)
        this.set(
          'origin',
          normal.map((c) => (c === 0 ? 0 : value)),
        )
      return
    }
    const [several] = this.tokens('numbers')
    if (several) {
      const value = this.valueIn(number, this.unitOf(several))
      if (value !== undefined)
        this.set(several.setting, [...(this.given.has(several.setting) ? (this.settings[several.setting] as number[]) : []), value])
      return
    }
    const token = this.tokens('number').find(
      ({ setting, quantity }) => !this.given.has(setting) && (quantity !== 'count' || this.isCount(setting, number)),
    )
    if (!token) {
      this.unknown.push(`${number.value}${number.unit ? ` ${number.unit}` : ''}`)
      return
    }
    const value = this.valueIn(number, this.unitOf(token))
    if (value !== undefined) this.set(token.setting, value)
  }

  private valueIn(number: TypedNumber, unit: string | null): number | undefined {
    if (unit === null && !number.unit) return number.value
    const value = unit === null ? null : inUnit(number, unit, this.reading.units.shown(unit))
    if (value === null) this.unknown.push(number.unit!)
    return value ?? undefined
  }

  /** Whether a word stands in the sentence anyway. */
  private isOfSentence(word: string): boolean {
    const settings = this.kind.defaults(this.reading.around, this.settings)
    const plain = this.kind.sentence(settings).filter((piece) => typeof piece === 'string')
    return whereIn(` ${plain.join(' ').replaceAll(',', ' ')} `, word) >= 0
  }

  finish(): TokensRead {
    const { settings, inputs, colour, places, unknown } = this
    return {
      settings,
      inputs,
      colour,
      places,
      unknown,
      nOpen: this.tokens('number').filter(({ setting }) => !this.given.has(setting)).length,
    }
  }
}
