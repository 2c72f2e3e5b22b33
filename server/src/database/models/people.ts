// People, how they come in, and what they did.
import {
  DataTypes,
  Model,
  type InferAttributes,
  type InferCreationAttributes,
  type Sequelize,
  type CreationOptional,
} from 'sequelize'
import type { ProjectRole, Role } from '@jolt-gate/core/api'
import { id, moment, number, text } from './columns.js'

export class PersonRow extends Model<InferAttributes<PersonRow>, InferCreationAttributes<PersonRow>> {
  declare id: CreationOptional<number>
  declare name: string
  declare email: string
  declare role: Role
  /** A hash; null for the one who has no password, as the demo. */
  declare password: string | null
  /** Who they are to the sign-in provider: its issuer and their subject there. */
  declare subject: CreationOptional<string | null>
  declare madeAt: Date
}

/** The role of a person in one project, where it is another one than elsewhere. */
export class ProjectRoleRow extends Model<InferAttributes<ProjectRoleRow>, InferCreationAttributes<ProjectRoleRow>> {
  declare projectId: number
  declare personId: number
  declare role: ProjectRole
}

export class SessionRow extends Model<InferAttributes<SessionRow>, InferCreationAttributes<SessionRow>> {
  declare hash: string
  declare personId: number
  declare csrf: string
  declare expiresAt: Date
  /** When its person was last seen to do something; null for sessions of old. */
  declare usedAt: CreationOptional<Date | null>
}

export class TokenRow extends Model<InferAttributes<TokenRow>, InferCreationAttributes<TokenRow>> {
  declare id: CreationOptional<number>
  declare personId: number
  declare label: string
  declare scopes: string
  /** The one project that it is for; null for all of its person's. */
  declare projectId: CreationOptional<number | null>
  declare hash: string
  declare expiresAt: Date
  declare usedAt: Date | null
}

export class EventRow extends Model<InferAttributes<EventRow>, InferCreationAttributes<EventRow>> {
  declare id: CreationOptional<number>
  declare at: Date
  declare personId: number | null
  declare who: string
  declare event: string
  declare detail: string
  declare projectId: number | null
  /** Of the entry and the one before it. */
  declare hash: string
}

/** The public half of a key by which a person signs commits. */
export class SigningKeyRow extends Model<InferAttributes<SigningKeyRow>, InferCreationAttributes<SigningKeyRow>> {
  declare id: CreationOptional<number>
  declare personId: number
  declare label: string
  /** `ssh-ed25519` and base64. */
  declare publicKey: string
  declare madeAt: Date
}

/** How far the audit log has been sent elsewhere: one row. */
export class AuditSentRow extends Model<InferAttributes<AuditSentRow>, InferCreationAttributes<AuditSentRow>> {
  declare id: number
  declare eventId: number
}

/** Binds them to a connection. */
// eslint-disable-next-line max-lines-per-function -- one table after another
export function definePeople(sequelize: Sequelize): void {
  const common = { sequelize, timestamps: false, underscored: true }
  PersonRow.init(
    {
      id: id(),
      name: text(100),
      email: text(200),
      role: text(20),
      password: DataTypes.STRING(200),
      subject: DataTypes.STRING(500),
      madeAt: moment(),
    },
    { ...common, tableName: 'people' },
  )
  ProjectRoleRow.init(
    {
      projectId: { type: DataTypes.INTEGER, primaryKey: true },
      personId: { type: DataTypes.INTEGER, primaryKey: true },
      role: text(20),
    },
    { ...common, tableName: 'project_roles' },
  )
  SessionRow.init(
    {
      hash: { type: DataTypes.STRING(64), primaryKey: true },
      personId: number(),
      csrf: text(40),
      expiresAt: moment(),
      usedAt: DataTypes.DATE(3),
    },
    { ...common, tableName: 'sessions' },
  )
  TokenRow.init(
    {
      id: id(),
      personId: number(),
      label: text(100),
      scopes: text(100),
      projectId: DataTypes.INTEGER,
      hash: text(64),
      expiresAt: moment(),
      usedAt: DataTypes.DATE(3),
    },
    { ...common, tableName: 'tokens' },
  )
  EventRow.init(
    {
      id: id(),
      at: moment(),
      personId: DataTypes.INTEGER,
      who: text(200),
      event: text(100),
      detail: text(1000),
      projectId: DataTypes.INTEGER,
      hash: text(64),
    },
    { ...common, tableName: 'events' },
  )
  SigningKeyRow.init(
    { id: id(), personId: number(), label: text(100), publicKey: text(200), madeAt: moment() },
    { ...common, tableName: 'signing_keys' },
  )
  AuditSentRow.init(
    { id: { type: DataTypes.INTEGER, primaryKey: true }, eventId: number() },
    { ...common, tableName: 'audit_sent' },
  )
}
