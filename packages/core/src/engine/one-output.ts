/** What a run that makes one output of a flow alone has to do with. */
export interface OneOutput {
  /** Where it begins; undefined where no node writes the output. */
  readonly begin: string | undefined;
  /** The nodes of the flow that it may come by. */
  readonly region: ReadonlySet<string>;
  /** The variables that are written for the output, and for nothing else but what is made together with it. */
  readonly wants: ReadonlySet<string>;
}
