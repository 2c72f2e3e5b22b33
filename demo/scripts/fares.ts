// What a party pays: called by plans, in a sandbox of its own.

type Party = 'alone' | 'pair' | 'family'

const PEOPLE: Record<Party, number> = { alone: 1, pair: 2, family: 4 }
const FARE = 14

export function quote({ party }: { party: Party }): { people: number; amount: number } {
  const people = PEOPLE[party]
  const discount = people > 2 ? 0.8 : 1
  return { people, amount: Math.round(people * FARE * discount) }
}
