export const TOOL_VERSION = '0.1.0'
