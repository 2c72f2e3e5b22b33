/** Why a server does not start, in a sentence that says what to do. */
export class StartFault extends Error {}
