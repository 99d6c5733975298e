/** A font file that is shipped beside the scripts; its address. */
declare module '*.woff' {
  const address: string;
  export default address;
}
