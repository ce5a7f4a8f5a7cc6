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
  /** The whole of it in words. */
  title: string;
}
