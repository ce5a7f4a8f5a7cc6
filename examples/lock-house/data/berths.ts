/** Who lies where, and the book of the office. */
import { Book, type Stay } from '../rules.js';

export const stays: Stay[] = [
  { barge: 'Heron', berth: 'quay', days: 2 },
  { barge: 'Teal', berth: 'pool', days: 5 },
];

export const officeBook = new Book();
