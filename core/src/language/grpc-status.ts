// The statuses of calls, by their numbers from 0 (gRPC, doc/statuscodes.md of the protocol).
export const GRPC_STATUSES = [
  'OK',
  'CANCELLED',
  'UNKNOWN',
  'INVALID_ARGUMENT',
  'DEADLINE_EXCEEDED',
  'NOT_FOUND',
  'ALREADY_EXISTS',
  'PERMISSION_DENIED',
  'RESOURCE_EXHAUSTED',
  'FAILED_PRECONDITION',
  'ABORTED',
  'OUT_OF_RANGE',
  'UNIMPLEMENTED',
  'INTERNAL',
  'UNAVAILABLE',
  'DATA_LOSS',
  'UNAUTHENTICATED',
] as const

/** A status in words. */
export const grpcStatus = (code: number): string => GRPC_STATUSES[code] ?? `status ${String(code)}`
