/**
 * Errors meant for the user: one sentence that says what is wrong, where, and what to do.
 * Everything else that is thrown is a programming mistake.
 */
const CONTROL_SIGNS = /[\x00-\x1f\x7f\u2028\u2029]+/g

export class UserError extends Error {
  readonly code: string
  /** Place in a text the error is about, as a half-open range of characters. */
  readonly range?: [number, number]

  constructor(code: string, message: string, range?: [number, number]) {
    // what a damaged file holds may stand in a message: one line it stays
    super(message.replace(CONTROL_SIGNS, '·'))
    this.name = new.target.name
    this.code = code
    if (range) this.range = range
  }
}

/** A file is damaged, inconsistent or of a kind that is not read. */
export class FormatError extends UserError {}
/** A formula cannot be read or does not fit the data; `range` points into its text. */
export class FormulaError extends UserError {}
/** What a step asks for does not exist in the case or cannot be computed there. */
export class DataError extends UserError {}
/** The request was superseded or cancelled; never shown. */
export class Cancelled extends Error {}

/** Plain form of an error that can cross a thread or HTTP border. */
export interface ErrorData {
  code: string
  message: string
  range?: [number, number]
}

export function errorData(error: unknown): ErrorData {
  if (error instanceof UserError) {
    return { code: error.code, message: error.message, ...(error.range && { range: error.range }) }
  }
  if (error instanceof Cancelled) return { code: 'cancelled', message: 'Cancelled.' }
  return { code: 'internal', message: error instanceof Error ? error.message : String(error) }
}

export function errorFromData(data: ErrorData): Error {
  if (data.code === 'cancelled') return new Cancelled(data.message)
  if (data.code === 'internal') return new Error(data.message)
  return new UserError(data.code, data.message, data.range)
}
