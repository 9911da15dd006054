/** Gives a file to the browser to keep. */
export function saveAs(file: Blob, name: string): void {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(file)
  link.download = name
  link.click()
  // the browser has begun to read it by then
  setTimeout(() => URL.revokeObjectURL(link.href), 60_000)
}
