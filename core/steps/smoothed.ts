/** What must go from point to point of a variable that lives on cells takes it smoothed, and says so. */

export function smoothed(variable: string): string {
  return `smooth(\`${variable}\`)`
}

export function smoothedNote(variable: string): string {
  return `${variable} lives on cells; it was smoothed to points, without the values of the boundary`
}
