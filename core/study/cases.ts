/** Acts on the cases of a study. They change the study in place (a draft). */
import type { Catalogue } from '../case/catalogue'
import { bindKnown } from './defaults'
import type { Study } from './studyModel'

/** The newest run in the place of an older one: steps, colours and panes stay, and bindings that still fit. */
export function replaceCase(study: Study, id: string, caseId: string, name: string, catalogue: Catalogue): void {
  renameCase(study, id, name)
  study.cases[id]!.case = caseId
  const hasPart = (own: string): boolean => catalogue.parts.some((part) => part.name === own)
  const fields = catalogue.fields.filter((field) => field.parts.length || field.place === 'whole case')
  const open: Pick<Study, 'parts' | 'variables'> = { parts: {}, variables: {} }
  for (const [key, part] of Object.entries(study.parts)) {
    if (part.binding[id]?.every(hasPart)) continue
    delete part.binding[id]
    open.parts[key] = part
  }
  for (const [key, variable] of Object.entries(study.variables)) {
    const bound = variable.binding[id]?.field
    if (fields.some((field) => field.name === bound && field.components === variable.components)) continue
    delete variable.binding[id]
    open.variables[key] = variable
  }
  bindKnown(open, id, { parts: catalogue.parts, fields })
}

/** With the formulas and conditions that look at it by its name. */
export function renameCase(study: Study, id: string, name: string): void {
  const old = study.cases[id]!.name
  study.cases[id]!.name = name
  const wanted = `from("${old}"`
  const renamed = (text: string): string => text.replace(/\bfrom\(\s*"/g, 'from("').replaceAll(wanted, `from("${name}"`)
  for (const formula of Object.values(study.formulas)) if (formula.text.includes(old)) formula.text = renamed(formula.text)
  for (const { settings } of Object.values(study.steps)) {
    for (const [setting, value] of Object.entries(settings))
      if (typeof value === 'string' && value.includes('from(') && value.includes(old)) settings[setting] = renamed(value)
  }
}

/** The others are compared with it. */
export function setBase(study: Study, id: string): void {
  for (const [other, entry] of Object.entries(study.cases)) entry.isBase = other === id
}
