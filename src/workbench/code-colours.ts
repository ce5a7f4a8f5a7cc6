/** Colours of code. */
import { HighlightStyle } from '@codemirror/language';
import { tags } from '@lezer/highlight';

export const colours = HighlightStyle.define([
  {
    tag: [
      tags.keyword,
      tags.modifier,
      tags.operatorKeyword,
      tags.controlKeyword,
      tags.definitionKeyword,
      tags.moduleKeyword,
    ],
    class: 'tok-key',
  },
  { tag: [tags.string, tags.special(tags.string), tags.regexp], class: 'tok-str' },
  { tag: [tags.number, tags.bool, tags.null], class: 'tok-num' },
  { tag: [tags.comment], class: 'tok-com' },
  { tag: [tags.typeName, tags.className], class: 'tok-type' },
]);
