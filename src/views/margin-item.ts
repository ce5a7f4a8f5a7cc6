/** What stands beside a line. */

export interface MarginItem {
  kind:
    | 'value'
    | 'error'
    | 'passed'
    | 'failed'
    | 'skipped'
    | 'calls'
    | 'note'
    | 'wait'
    | 'request'
    | 'bad-request'
    | 'type'
    | 'gate'
    | 'dial';
  /** Short text, for the margin. */
  text: string;
  /** `×120`, where there were more visits than the text shows. */
  count?: string;
  /** Numbers of a series, thinned, for a sparkline. */
  series?: number[];
  /** Of a note that says what cannot be done as it is written: its kind of problem. */
  code?: string;
  /** The whole of it in words. */
  title: string;
}
