// What the tests use of jstat, which ships no types.
declare module 'jstat' {
  interface Library {
    normal: { cdf(x: number, mean: number, sd: number): number }
    chisquare: { cdf(x: number, degrees: number): number }
    studentt: { inv(p: number, degrees: number): number }
  }
  const library: Library
  export default library
}
