// What the tests use of jstat, which ships no types.
declare module 'jstat' {
  interface Library {
    normal: { cdf(x: number, mean: number, sd: number): number }
    chisquare: { cdf(x: number, degrees: number): number }
    binomial: { cdf(k: number, n: number, p: number): number }
  }
  const library: Library
  export default library
}
