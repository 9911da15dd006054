/**
 * Elements that an XDMF document includes from elsewhere in itself, such as one mesh for all moments: `xi:include` with an
 * XPointer of the few kinds that writers use (W3C XInclude 1.0; of XPath 1.0 steps by name with positions, attributes and `self`).
 */
import { FormatError } from '../../errors'
import type { XmlElement } from '../xmlTree'

/** Longest list of steps and most elements looked at for one include. */
const MAX_STEPS = 20
const MAX_FOUND = 10_000

/** Replaces every `xi:include` by its target. @throws FormatError when that is missing or in another file */
export function resolveIncludes(root: XmlElement, file: string): void {
  const visit = (element: XmlElement, around: readonly XmlElement[]): void => {
    done.add(element)
    const path = [...around, element]
    element.children = element.children.flatMap((child) => {
      if (!/(^|:)include$/.test(child.name)) return [child]
      if (child.attributes['href'])
        throw new FormatError(
          'include',
          `${file} includes “${child.attributes['href'].slice(0, 80)}”, another document, which is not read; write it as one file.`,
        )
      const pointer = child.attributes['xpointer'] ?? ''
      const found = select(root, /^xpointer\((.*)\)$/.exec(pointer.trim())?.[1] ?? pointer)
      if (!found.length)
        throw new FormatError(
          'include',
          `${file} includes “${pointer.slice(0, 80)}”, which is not there; the file is inconsistent, write it again.`,
        )
      if (found.some((other) => path.includes(other)))
        throw new FormatError('include', `${file} includes “${pointer.slice(0, 80)}” in itself; the file is inconsistent, write it again.`)
      return found
    })
    for (const child of element.children) if (!done.has(child)) visit(child, path)
  }
  // included elements are in several places
  const done = new Set<XmlElement>()
  visit(root, [])
}

/** Elements that a path leads to, from the root of the document. */
function select(root: XmlElement, path: string): XmlElement[] {
  const steps = splitSteps(path.trim())
  if (steps.length > MAX_STEPS) return []
  const document: XmlElement = { name: '', attributes: {}, children: [root], content: [0, 0] }
  let found = [document]
  for (const { isDeep, name, predicates } of steps) {
    const next: XmlElement[] = []
    for (const element of found) {
      let own = (isDeep ? descendants(element) : element.children).filter((child) => name === '*' || child.name === name)
      for (const predicate of predicates) own = own.filter((child, i) => holds(predicate, child, i))
      next.push(...own)
      if (next.length > MAX_FOUND) return []
    }
    found = next
  }
  return found
}

interface Step {
  isDeep: boolean
  name: string
  predicates: string[]
}

function splitSteps(path: string): Step[] {
  const steps: Step[] = []
  for (const [, slashes, name, predicates] of path.matchAll(/(\/{1,2})([\w:.*-]+)((?:\[[^\]]*\])*)/g)) {
    steps.push({
      isDeep: slashes === '//',
      name: name!,
      predicates: Array.from(predicates!.matchAll(/\[([^\]]*)\]/g), (match) => match[1]!.trim()),
    })
  }
  return steps
}

function descendants(element: XmlElement): XmlElement[] {
  return element.children.flatMap((child) => [child, ...descendants(child)])
}

function holds(predicate: string, element: XmlElement, index: number): boolean {
  if (/^\d+$/.test(predicate)) return index === Number(predicate) - 1
  return predicate.split(/\s+or\s+/).some((part) => {
    const self = /^self::([\w:.-]+)$/.exec(part)?.[1]
    if (self) return element.name === self
    const [, key, value] = /^@([\w:.-]+)\s*=\s*["'](.*)["']$/.exec(part) ?? []
    return key !== undefined && element.attributes[key] === value
  })
}
