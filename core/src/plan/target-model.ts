// What a target's file says once it is read.
import type { Text } from './model.js'

/** What is read from a target each second while a run lasts. */
export interface Metric {
  name: string
  url: string
  family: string
  labels: Record<string, string>
  /** By type, a counter is read as a rate and all else as a value. */
  as: { kind: 'value' | 'rate' | 'by type' } | { kind: 'ratio'; of: string }
  unit: string
  ceiling: number | undefined
}

export interface Permission {
  by: string
  /** Of arrivals, and of requests. */
  ratePerSecond: number
  hours: string | undefined
  /** The last day. */
  until: string
}

/** Certificates and key as PEM text. */
export interface Tls {
  ca: string | undefined
  cert: string | undefined
  key: string | undefined
  verify: boolean
}

export interface Target {
  name: string
  file: string
  origin: string
  also: string[]
  values: [string, string][]
  headers: [string, Text][]
  secrets: string[]
  metrics: Metric[]
  permission: Permission | undefined
  /** Where a person opens a trace: an address with {trace}. */
  traces: string | undefined
  tls: Tls | undefined
  proxy: string | undefined
  /** The address of this machine from which requests are sent. */
  localAddress: string | undefined
}
