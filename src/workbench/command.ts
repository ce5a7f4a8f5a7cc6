/** What a person can do, by its words or its key. */
export interface Command {
  name: string;
  key?: string;
  run(): void;
}
