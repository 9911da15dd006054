/**
 * Short texts with raised and lowered parts and Greek letters, as they are typed: `U_ref`, `m^2`, `k_{eff}`, `\Delta p`.
 */
export interface TextRun {
  text: string
  /** 1 raised, -1 lowered. */
  level: -1 | 0 | 1
}

const lower = 'αβγδεζηθικλμνξοπρςστυφχψω'
const names = [
  ...['alpha', 'beta', 'gamma', 'delta', 'epsilon', 'zeta', 'eta', 'theta', 'iota', 'kappa', 'lambda', 'mu', 'nu', 'xi', 'omicron', 'pi'],
  ...['rho', 'finalsigma', 'sigma', 'tau', 'upsilon', 'phi', 'chi', 'psi', 'omega'],
]

/** Size of raised and lowered parts, and how far they are moved, as shares of the type size. */
const SMALL = 0.72
const SHIFT = { [-1]: 0.2, 0: 0, 1: -0.36 }

/** `_` and `^` take the letters and digits behind them, or what stands in braces. */
export function textRuns(text: string): TextRun[] {
  const runs: TextRun[] = []
  const pattern = /([_^])(?:\{([^}]*)\}|([\p{L}\p{N}∞+−-]+))|([^_^]+|[_^])/gu
  for (const [, sign, braced, plain, rest] of raised(greek(text)).matchAll(pattern)) {
    if (rest !== undefined) runs.push({ text: rest, level: 0 })
    else runs.push({ text: braced ?? plain!, level: sign === '^' ? 1 : -1 })
  }
  return runs
}

/** Without marks, for screen readers and file names. */
export function plainText(text: string): string {
  return textRuns(text)
    .map((run) => run.text)
    .join('')
}

/** Raised digits of units as others are: fonts lack some of them. */
function raised(text: string): string {
  const digits = '⁰¹²³⁴⁵⁶⁷⁸⁹⁻'
  return text.replace(/[⁰¹²³⁴⁵⁶⁷⁸⁹⁻]+/g, (run) => `^{${[...run].map((digit) => '0123456789−'[digits.indexOf(digit)]).join('')}}`)
}

function greek(text: string): string {
  // a space that only ends the name of a letter goes: \Delta p
  return text.replace(/\\([A-Za-z]+)(?: (?=\p{L}))?/gu, (all, word: string) => {
    if (word === 'infty') return '∞'
    const at = names.indexOf(word.toLowerCase())
    if (at < 0) return all
    return word[0] === word[0]!.toLowerCase() ? lower[at]! : lower[at]!.toUpperCase()
  })
}

export function richWidth(context: CanvasRenderingContext2D, text: string, size: number, font: (size: number) => string): number {
  return textRuns(text).reduce((width, { text: own, level }) => {
    context.font = font(level === 0 ? size : SMALL * size)
    return width + context.measureText(own).width
  }, 0)
}

/** Longest part behind the last comma that is kept when a text is cut: a unit. */
const LONGEST_UNIT = 12

/** A text that is no wider than there is room, cut between words; the unit behind its last comma stays. @param widthOf  of a text */
export function fittingText(text: string, room: number, widthOf: (text: string) => number): string {
  if (widthOf(text) <= room) return text
  const comma = text.lastIndexOf(', ')
  const end = comma >= 0 && text.length - comma <= LONGEST_UNIT ? text.slice(comma) : ''
  const words = text.slice(0, text.length - end.length).split(' ')
  for (let n = words.length - 1; n > 0; n--) {
    const cut = `${words.slice(0, n).join(' ').replace(/[,:]$/, '')} …${end}`
    if (widthOf(cut) <= room) return cut
  }
  return `${words[0]} …${end}`
}

/** At the base line. */
export function fillRich(
  context: CanvasRenderingContext2D,
  text: string,
  [x, y]: readonly [number, number],
  size: number,
  font: (size: number) => string,
): void {
  let at = x
  for (const { text: own, level } of textRuns(text)) {
    context.font = font(level === 0 ? size : SMALL * size)
    context.fillText(own, at, y + SHIFT[level] * size)
    at += context.measureText(own).width
  }
}
