// Dates of a plan: UTC and YYYY-MM-DD unless the plan says otherwise. Zones and formats by a library.
import { DateTime, IANAZone, FixedOffsetZone } from 'luxon'

/** Whether a text names a time zone: an IANA name, or an offset such as UTC+2. */
export function isZone(text: string): boolean {
  return IANAZone.isValidZone(text) || isOffset(FixedOffsetZone.parseSpecifier(text))
}

/** What is no offset gives null, though the library's type does not say so. */
function isOffset(zone: FixedOffsetZone | null): boolean {
  return zone !== null
}

/**
 * A date so many days from a moment, in a zone.
 *
 * @param startedAtMs - ms since 1970 UTC
 * @param format - date field symbols of Unicode (UTS 35), such as `dd.MM.yyyy`
 */
export function dateAfter(startedAtMs: number, days: number, format = 'yyyy-MM-dd', zone = 'UTC'): string {
  return DateTime.fromMillis(startedAtMs, { zone, locale: 'en' }).plus({ days }).toFormat(format)
}
