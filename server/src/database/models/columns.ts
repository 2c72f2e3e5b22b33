// Columns as the models write them.
import { DataTypes, type Model } from 'sequelize'

export const text = (length: number) => ({ type: DataTypes.STRING(length), allowNull: false })
export const part = (length: number) => ({ type: DataTypes.STRING(length), primaryKey: true })
export const id = () => ({ type: DataTypes.INTEGER, primaryKey: true, autoIncrement: true })
export const number = () => ({ type: DataTypes.INTEGER, allowNull: false })
export const moment = () => ({ type: DataTypes.DATE(3), allowNull: false })

/** MariaDB keeps JSON as text; it is parsed and written at the model's edge. */
export function json(name: string) {
  return {
    type: DataTypes.TEXT('long'),
    get(this: Model): unknown {
      const stored: unknown = this.getDataValue(name)
      return typeof stored === 'string' ? JSON.parse(stored) : null
    },
    set(this: Model, value: unknown) {
      this.setDataValue(name, value === null ? null : JSON.stringify(value))
    },
  }
}
