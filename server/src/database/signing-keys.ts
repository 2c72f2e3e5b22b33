// Keys by which people sign commits: a merge that one has signed is approved by its person.
import { DataTypes } from 'sequelize'
import type { Migration } from './migration.js'

export const signingKeys: Migration = {
  name: '022-keys-that-sign-commits',
  async up(schema) {
    const text = (length: number) => ({ type: DataTypes.STRING(length), allowNull: false })
    await schema.createTable(
      'signing_keys',
      {
        id: { type: DataTypes.INTEGER, primaryKey: true, autoIncrement: true },
        person_id: {
          ...{ type: DataTypes.INTEGER, allowNull: false, onDelete: 'CASCADE' },
          references: { model: 'people', key: 'id' },
        },
        label: text(100),
        public_key: { ...text(200), unique: true },
        made_at: { type: DataTypes.DATE(3), allowNull: false },
      },
      { charset: 'utf8mb4', collate: 'utf8mb4_bin' },
    )
  },
  async down(schema) {
    await schema.dropTable('signing_keys')
  },
}
