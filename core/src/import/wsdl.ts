// A description of a SOAP service (WSDL 1.1) as a draft.
// Source: E. Christensen and others, "Web Services Description Language (WSDL) 1.1", W3C Note, 15 March 2001.
import type { Element } from 'slimdom'
import { parseXml } from '../language/xml.js'
import { newDraft, newSend, writeDraft, type Imported } from './draft.js'
import { ImportFault } from './fault.js'
import { httpUrl, uniqueName } from './url.js'

const WSDL = 'http://schemas.xmlsoap.org/wsdl/'
const XSD = 'http://www.w3.org/2001/XMLSchema'
/** XML Schema as the note itself still had it. */
const XSD_2000 = 'http://www.w3.org/2000/10/XMLSchema'
const BINDINGS = {
  'http://schemas.xmlsoap.org/wsdl/soap/': { version: '1.1', envelope: 'http://schemas.xmlsoap.org/soap/envelope/' },
  'http://schemas.xmlsoap.org/wsdl/soap12/': { version: '1.2', envelope: 'http://www.w3.org/2003/05/soap-envelope' },
} as const
const MOST_CHARACTERS = 4_000_000
const MOST_LEVELS = 8

export interface SoapOperation {
  /** Port and operation, which tell it apart. */
  id: string
  name: string
  port: string
  address: string
  action: string
  soap: (typeof BINDINGS)[keyof typeof BINDINGS]
  style: 'document' | 'rpc'
  input: Element | undefined
  output: Element | undefined
}
export interface WsdlReading {
  name: string
  namespace: string
  operations: SoapOperation[]
  schemas: Element[]
}

/** Reads a description. */
export function readWsdl(text: string): WsdlReading {
  if (text.length > MOST_CHARACTERS) throw new ImportFault('the description is larger than 4 MB')
  if (/<!DOCTYPE/i.test(text)) throw new ImportFault('a description with a DOCTYPE is refused')
  const root = parseXml(text)?.documentElement
  if (root === undefined || root === null) throw new ImportFault('this is not XML')
  if (root.localName !== 'definitions' || root.namespaceURI !== WSDL)
    throw new ImportFault('this is not WSDL 1.1: its root is not definitions')
  const byName = (kind: string, wanted: string) =>
    childrenOf(root, WSDL, kind).find((one) => one.getAttribute('name') === local(wanted))
  const operations = childrenOf(root, WSDL, 'service').flatMap((service) =>
    childrenOf(service, WSDL, 'port').flatMap((port): SoapOperation[] => {
      const binding = byName('binding', port.getAttribute('binding') ?? '')
      const [namespace, soap] =
        Object.entries(BINDINGS).find(([name]) => childrenOf(port, name, 'address').length > 0) ?? []
      if (binding === undefined || namespace === undefined || soap === undefined) return []
      const address = childrenOf(port, namespace, 'address')[0]?.getAttribute('location') ?? ''
      const frame = childrenOf(binding, namespace, 'binding')[0]
      const portType = byName('portType', binding.getAttribute('type') ?? '')
      return childrenOf(binding, WSDL, 'operation').map((bound) => {
        const name = bound.getAttribute('name') ?? ''
        const own = childrenOf(bound, namespace, 'operation')[0]
        const operation =
          portType === undefined
            ? undefined
            : childrenOf(portType, WSDL, 'operation').find((one) => one.getAttribute('name') === name)
        const message = (part: string) => {
          const said = operation === undefined ? undefined : childrenOf(operation, WSDL, part)[0]
          return said === undefined ? undefined : byName('message', said.getAttribute('message') ?? '')
        }
        const style = (own?.getAttribute('style') ?? '') || (frame?.getAttribute('style') ?? '')
        const portName = port.getAttribute('name') ?? ''
        return {
          id: `${portName} ${name}`,
          name,
          port: portName,
          address,
          action: own?.getAttribute('soapAction') ?? '',
          soap,
          style: style === 'rpc' ? 'rpc' : 'document',
          input: message('input'),
          output: message('output'),
        }
      })
    }),
  )
  if (operations.length === 0) throw new ImportFault('the description has no operations over SOAP and HTTP')
  const types = childrenOf(root, WSDL, 'types')[0]
  const schemas =
    types === undefined ? [] : [...childrenOf(types, XSD, 'schema'), ...childrenOf(types, XSD_2000, 'schema')]
  return {
    name: (root.getAttribute('name') ?? '') || 'Service',
    namespace: root.getAttribute('targetNamespace') ?? '',
    operations,
    schemas,
  }
}

/**
 * Makes the files of a plan that calls the chosen operations.
 *
 * @param choice - the operations by their ids, and the name of the plan
 * @throws ImportFault where none is chosen
 */
export function importWsdl(reading: WsdlReading, choice: { name: string; operations: readonly string[] }): Imported {
  const chosen = choice.operations.flatMap((id) => reading.operations.find((operation) => operation.id === id) ?? [])
  const [first] = chosen
  if (first === undefined) throw new ImportFault('no operation was chosen')
  const draft = newDraft(choice.name, httpUrl(first.address, 'the address of the service').origin)
  const names = new Set<string>()
  const prefixes = new Map<string, string>([[first.soap.envelope, 'soap']])
  const steps = chosen.map((operation) => {
    const url = httpUrl(operation.address, `the address of ${operation.name}`)
    const isHome = url.origin === draft.origin
    if (!isHome && !draft.also.includes(url.origin)) draft.also.push(url.origin)
    const send = newSend(
      'POST',
      (isHome ? '' : url.origin) + url.pathname + url.search,
      uniqueName(operation.name, names),
    )
    if (!prefixes.has(operation.soap.envelope)) prefixes.set(operation.soap.envelope, 'soap12')
    // SOAP 1.1, 6.1.1: the action is a header of its own, in quotes; SOAP 1.2 part 2, 6.5.3: it is a parameter of the
    // media type.
    if (operation.soap.version === '1.1') {
      send.headers['content-type'] = 'text/xml; charset=utf-8'
      send.headers['soapaction'] = `"${operation.action}"`
    } else
      send.headers['content-type'] =
        `application/soap+xml; charset=utf-8${operation.action === '' ? '' : `; action="${operation.action}"`}`
    send.body = { key: 'xml', value: envelopeOf(reading, operation) }
    send.checks.push('status is 200')
    const answer = answerOf(reading, operation)
    const soap = prefixes.get(operation.soap.envelope) ?? 'soap'
    if (answer !== undefined) {
      if (answer.namespace !== '' && !prefixes.has(answer.namespace))
        prefixes.set(answer.namespace, [...prefixes.values()].includes('m') ? `m${String(prefixes.size)}` : 'm')
      const prefix = prefixes.get(answer.namespace) ?? ''
      send.checks.push(`xml //${soap}:Body/${answer.namespace === '' ? '' : `${prefix}:`}${answer.name} exists`)
    }
    send.checks.push(`xml //${soap}:Fault is missing`)
    return send
  })
  draft.namespaces = Object.fromEntries(
    [...prefixes].filter(([namespace]) => namespace !== '').map(([namespace, prefix]) => [prefix, namespace]),
  )
  draft.journeys.push({ name: 'visit', steps })
  draft.notes.push(
    'values in the envelopes are examples from the schema: replace them by values that the service knows',
  )
  return writeDraft(draft)
}

/** The element of the response's body. */
function answerOf(
  reading: WsdlReading,
  { output, name, style }: SoapOperation,
): { name: string; namespace: string } | undefined {
  if (style === 'rpc') return { name: `${name}Response`, namespace: reading.namespace }
  const element = output === undefined ? undefined : childrenOf(output, WSDL, 'part')[0]?.getAttribute('element')
  return element === undefined || element === null || output === undefined ? undefined : qualified(output, element)
}

function envelopeOf(reading: WsdlReading, { soap, input, style, name }: SoapOperation): string {
  const parts = input === undefined ? [] : childrenOf(input, WSDL, 'part')
  const margin = '    '
  let body: string
  if (style === 'rpc') {
    const inside = parts
      .map(
        (part) =>
          `${margin}  <${part.getAttribute('name') ?? 'part'}>${simpleValue(local(part.getAttribute('type') ?? ''))}</${part.getAttribute('name') ?? 'part'}>\n`,
      )
      .join('')
    body = `${margin}<m:${name} xmlns:m="${reading.namespace}">\n${inside}${margin}</m:${name}>\n`
  } else
    body = parts
      .map((part) => {
        const said = qualified(part, part.getAttribute('element') ?? '')
        const element = topLevel(reading, 'element', said.name)
        const inside = element === undefined ? '' : contentOf(reading, element, margin.length + 2, 0)
        const open = `${margin}<m:${said.name} xmlns:m="${said.namespace}"`
        return inside === ''
          ? `${open}/>\n`
          : `${open}>${inside}${inside.startsWith('\n') ? margin : ''}</m:${said.name}>\n`
      })
      .join('')
  return `<soap:Envelope xmlns:soap="${soap.envelope}">\n  <soap:Body>\n${body}  </soap:Body>\n</soap:Envelope>\n`
}

/** What stands in an element: a value for a simple type, lines of elements for a complex one. */
function contentOf(reading: WsdlReading, element: Element, margin: number, level: number): string {
  if (level > MOST_LEVELS) return ''
  const type = element.getAttribute('type') ?? ''
  const inline = partsOf(element).find((one) => one.localName === 'complexType' || one.localName === 'simpleType')
  const named = inline ?? topLevel(reading, 'complexType', local(type)) ?? topLevel(reading, 'simpleType', local(type))
  if (named === undefined) return simpleValue(local(type))
  if (named.localName === 'simpleType') return simpleOf(named)
  const inner = elementsOf(named).flatMap((child) => {
    const reference = child.getAttribute('ref')
    const meant = reference === null || reference === '' ? child : topLevel(reading, 'element', local(reference))
    if (meant === undefined) return []
    const name = meant.getAttribute('name') ?? ''
    const content = contentOf(reading, meant, margin + 2, level + 1)
    const isQualified = isQualifiedIn(reading, meant)
    const tag = isQualified ? `m:${name}` : name
    const end = content.startsWith('\n') ? ' '.repeat(margin) : ''
    return [`\n${' '.repeat(margin)}<${tag}>${content}${end}</${tag}>`]
  })
  return inner.length === 0 ? '' : `${inner.join('')}\n`
}

/** XML Schema part 1, 3.3.2: local elements are in the namespace only where the schema says so. */
function isQualifiedIn(reading: WsdlReading, element: Element): boolean {
  const schema = reading.schemas.find((one) => one === ancestorSchema(element))
  return (
    (element.getAttribute('form') ?? '') === 'qualified' || schema?.getAttribute('elementFormDefault') === 'qualified'
  )
}

function ancestorSchema(element: Element): Element | undefined {
  let node = element.parentNode
  while (node !== null) {
    if (isElement(node) && node.localName === 'schema') return node
    node = node.parentNode
  }
  return undefined
}

/** The elements of a complex type, through sequences, choices (the first), groups of all, and extensions. */
function elementsOf(type: Element): Element[] {
  return partsOf(type).flatMap((part) => {
    switch (part.localName) {
      case 'element':
        return [part]
      case 'choice':
        return elementsOf(part).slice(0, 1)
      case 'sequence':
      case 'all':
      case 'complexContent':
      case 'extension':
      case 'restriction':
        return elementsOf(part)
      default:
        return []
    }
  })
}

function simpleOf(type: Element): string {
  const restriction = partsOf(type).find((one) => one.localName === 'restriction')
  if (restriction === undefined) return 'text'
  const first = partsOf(restriction).find((one) => one.localName === 'enumeration')
  return first?.getAttribute('value') ?? simpleValue(local(restriction.getAttribute('base') ?? ''))
}

/** A value of a built-in type (XML Schema part 2, section 3). */
function simpleValue(type: string): string {
  if (/^(int|integer|long|short|byte|unsigned\w+|positiveInteger|nonNegativeInteger)$/.test(type)) return '1'
  if (/^(decimal|float|double)$/.test(type)) return '1.5'
  const values: Record<string, string> = {
    boolean: 'true',
    date: '2026-01-31',
    dateTime: '2026-01-31T12:00:00Z',
    time: '12:00:00Z',
    anyURI: 'http://example.org/',
    base64Binary: '',
    duration: 'P1D',
  }
  return values[type] ?? 'text'
}

function topLevel({ schemas }: WsdlReading, kind: string, name: string): Element | undefined {
  if (name === '') return undefined
  return schemas
    .flatMap((schema) => partsOf(schema))
    .find((one) => one.localName === kind && one.getAttribute('name') === name)
}

function qualified(from: Element, name: string): { name: string; namespace: string } {
  const prefix = name.includes(':') ? (name.split(':')[0] ?? '') : ''
  return { name: local(name), namespace: from.lookupNamespaceURI(prefix) ?? '' }
}

const local = (name: string) => name.replace(/^.*:/, '')

function partsOf(parent: Element): Element[] {
  return [...parent.childNodes].filter(isElement)
}
function childrenOf(parent: Element, namespace: string, name: string): Element[] {
  return partsOf(parent).filter((one) => one.localName === name && one.namespaceURI === namespace)
}
function isElement(node: unknown): node is Element {
  return typeof node === 'object' && node !== null && 'nodeType' in node && node.nodeType === 1
}
