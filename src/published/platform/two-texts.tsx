/** Nobody else writes to the files of a page: there are no two texts to choose from. */
export function TwoTexts(): null {
  return null;
}
