// What MariaDB holds of webhooks: those that go out, and pushes that others tell of.
import {
  DataTypes,
  Model,
  type CreationOptional,
  type InferAttributes,
  type InferCreationAttributes,
  type Sequelize,
} from 'sequelize'
import type { EventType } from '@jolt-gate/core/api'
import { id, json, moment, number, text } from './columns.js'

/** An address that hears of events of a project. */
export class WebhookRow extends Model<InferAttributes<WebhookRow>, InferCreationAttributes<WebhookRow>> {
  declare id: CreationOptional<number>
  declare projectId: number
  declare url: string
  declare events: EventType[]
  /** What its deliveries are signed with. */
  declare sealed: string
  declare isPaused: boolean
  declare madeBy: string
  declare madeAt: Date
}

/** An event on its way to one address, or there. */
export class DeliveryRow extends Model<InferAttributes<DeliveryRow>, InferCreationAttributes<DeliveryRow>> {
  declare id: CreationOptional<number>
  declare webhookId: number
  /** The same event has the same: it is delivered once to each address. */
  declare eventId: string
  declare type: EventType
  declare subject: string
  declare body: string
  declare state: 'waiting' | 'delivered' | 'failed'
  declare attempts: number
  /** What the address said last. */
  declare answer: string
  declare madeAt: Date
  declare nextAt: Date
  declare answeredAt: Date | null
}

/** A repository elsewhere, whose pushes begin stages here. */
export class PushSourceRow extends Model<InferAttributes<PushSourceRow>, InferCreationAttributes<PushSourceRow>> {
  declare id: CreationOptional<number>
  declare projectId: number
  declare repository: string
  /** What its pushes are signed with. */
  declare sealed: string
  declare madeBy: string
  declare madeAt: Date
}

/** A push to a repository elsewhere. */
export class PushRow extends Model<InferAttributes<PushRow>, InferCreationAttributes<PushRow>> {
  declare id: CreationOptional<number>
  declare sourceId: number
  declare projectId: number
  /** Of the one who tells: the same told twice is one push. */
  declare messageId: string
  declare branch: string
  declare commit: string
  declare message: string
  declare who: string
  declare at: Date
  /** Whether its stages have been begun. */
  declare isBegun: boolean
}

/** Binds them to a connection. */
export function defineWebhooks(sequelize: Sequelize): void {
  const common = { sequelize, timestamps: false, underscored: true }
  // Made anew for each: Sequelize writes into them.
  const sealed = () => ({ type: DataTypes.TEXT, allowNull: false })
  const flag = () => ({ type: DataTypes.BOOLEAN, allowNull: false })
  const made = () => ({ madeBy: text(200), madeAt: moment() })
  WebhookRow.init(
    {
      id: id(),
      projectId: number(),
      url: text(700),
      events: json('events'),
      sealed: sealed(),
      isPaused: flag(),
      ...made(),
    },
    { ...common, tableName: 'webhooks' },
  )
  DeliveryRow.init(
    {
      ...{ id: id(), webhookId: number(), eventId: text(100), type: text(40), subject: text(300) },
      body: { type: DataTypes.TEXT('medium'), allowNull: false },
      ...{ state: text(20), attempts: number(), answer: text(300), madeAt: moment(), nextAt: moment() },
      answeredAt: DataTypes.DATE(3),
    },
    { ...common, tableName: 'deliveries' },
  )
  PushSourceRow.init(
    { id: id(), projectId: number(), repository: text(500), sealed: sealed(), ...made() },
    { ...common, tableName: 'push_sources' },
  )
  PushRow.init(
    {
      ...{ id: id(), sourceId: number(), projectId: number(), messageId: text(100), branch: text(200) },
      ...{ commit: text(64), message: text(300), who: text(200), at: moment(), isBegun: flag() },
    },
    { ...common, tableName: 'pushes' },
  )
}
