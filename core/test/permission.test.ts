// Loading what is not on loopback: only as its owner permits.
import { parseHours, permissionFault, permissionText, readTarget, type Target } from '@jolt-gate/core'
import { describe, expect, it } from 'vitest'

const targetOf = (permission: string, origin = 'https://booking.example'): Target => {
  const { target, problems } = readTarget('targets/t.target.yaml', `origin: ${origin}\n${permission}`)
  if (target === undefined || problems.length > 0) throw new Error(problems[0]?.message)
  return target
}
const PERMISSION =
  'permission: { by: Ida Quay, rate: 50/s, hours: "Mon to Fri 06:00 to 18:00, Sat 08:00 to 12:00", until: 2026-12-31 }\n'
const load = { peakRate: 20, peakRequestRate: 40, mostUsers: 0, seconds: 600 }
// 2026-11-23 is a Monday.
const at = (text: string) => new Date(`${text}:00Z`)

describe('a permission', () => {
  it('is not asked for on loopback, and is wanted for all else', () => {
    expect(permissionFault(targetOf('', 'http://127.0.0.1:9'), load, at('2026-11-23T03:00'))).toBeUndefined()
    expect(permissionFault(targetOf(''), load, at('2026-11-23T10:00'))).toMatch(/only with a permission/)
    expect(
      permissionFault(targetOf('also: [https://pay.example]\n', 'http://127.0.0.1:9'), load, at('2026-11-23T10:00')),
    ).toMatch(/pay.example/)
    expect(
      permissionFault(targetOf('proxy: http://out.example:3128\n', 'http://127.0.0.1:9'), load, at('2026-11-23T10:00')),
    ).toMatch(/out.example:3128/)
  })

  it.each(['by: Ida Quay', 'rate: 50/s', 'until: 2026-12-31'])('says all of what it is for, not only %s', (part) => {
    expect(() => targetOf(`permission: { ${part} }\n`)).toThrow(/says who gives it, the highest rate and the last day/)
  })

  it.each([
    ['2026-11-23T10:00', load, undefined],
    ['2026-11-28T11:49', load, undefined],
    ['2026-11-23T05:59', load, /it is 05:59 on a Mon/],
    ['2026-11-29T10:00', load, /on a Sun/],
    ['2026-11-23T17:55', load, /would last until 18:05/],
    ['2027-01-01T10:00', load, /ended with 2026-12-31/],
    ['2026-11-23T10:00', { ...load, peakRate: 50.5 }, /reaches 50.5 arrivals\/s.*at most 50\/s/],
    ['2026-11-23T10:00', { ...load, peakRequestRate: 51 }, /reaches 51 requests\/s.*at most 50\/s/],
    ['2026-11-23T10:00', { ...load, mostUsers: 5 }, /not known beforehand/],
  ])('at %s for a load', (moment, asked, fault) => {
    const found = permissionFault(targetOf(PERMISSION), asked, at(moment))
    if (fault === undefined) expect(found).toBeUndefined()
    else expect(found).toMatch(fault)
  })

  it('of hours reads spans of days, over the end of the week, too', () => {
    expect(parseHours('Sat to Mon 22:00 to 24:00')).toEqual([{ days: [5, 6, 0], fromMinute: 1320, toMinute: 1440 }])
    expect(parseHours('09:00 to 17:00')).toMatchObject([{ days: [0, 1, 2, 3, 4, 5, 6] }])
    expect(parseHours('Sun 22:00 to 05:00')).toEqual([
      { days: [6], fromMinute: 1320, toMinute: 1440 },
      { days: [0], fromMinute: 0, toMinute: 300 },
    ])
    for (const wrong of ['Mon', '06:00 to 06:00', '25:00 to 26:00', 'Mo 09:00 to 10:00'])
      expect(parseHours(wrong)).toBe(wrong)
  })

  it('that is widened is another text, which needs a proof of its own', () => {
    const text = (permission: string) => {
      const target = targetOf(permission)
      return target.permission === undefined ? '' : permissionText(target.origin, target.permission)
    }
    expect(text(PERMISSION)).not.toBe(text(PERMISSION.replace('50/s', '51/s')))
    expect(text(PERMISSION)).toBe(text(PERMISSION))
  })
})
