/** What is wrong with something that was to be imported, for the person who chose it. */
export class ImportFault extends Error {}
