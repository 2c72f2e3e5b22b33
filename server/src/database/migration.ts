// A change of the schema, with its way back.
import type { QueryInterface } from 'sequelize'

export interface Migration {
  name: string
  up: (schema: QueryInterface) => Promise<void>
  down: (schema: QueryInterface) => Promise<void>
}
