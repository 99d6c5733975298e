interface ErrorConstructor {
  /** How many places of its making an error keeps; where the browser's engine has it. */
  stackTraceLimit?: number;
}
