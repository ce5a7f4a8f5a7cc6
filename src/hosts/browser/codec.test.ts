import fc from 'fast-check';
import { decode, encode } from '#dist/hosts/browser/codec.js';

test('a message comes out as it went in, arrays of numbers to the last bit', () => {
  fc.assert(
    fc.property(fc.float64Array(), fc.int32Array(), fc.uint8Array(), fc.jsonValue(), (numbers, whole, bytes, value) => {
      const given = decode(
        encode({ samples: { number: numbers, site: whole }, list: [bytes, { value }], none: undefined }),
      ) as {
        samples: { number: Float64Array; site: Int32Array };
        list: [Uint8Array, { value: unknown }];
      };
      expect(given.samples.number).toBeInstanceOf(Float64Array);
      expect([...given.samples.number].every((one, index) => Object.is(one, numbers[index]))).toBe(true);
      expect([...given.samples.site]).toEqual([...whole]);
      expect([...given.list[0]]).toEqual([...bytes]);
      expect(JSON.stringify(given.list[1].value)).toBe(JSON.stringify(value));
      expect('none' in given).toBe(false);
    }),
  );
});

test('parts of an array, and long ones', () => {
  const long = Float64Array.from({ length: 50_000 }, (_, index) => index / 3);
  expect(decode(encode(long.subarray(2, 5)))).toEqual(Float64Array.of(2 / 3, 1, 4 / 3));
  expect((decode(encode(long)) as Float64Array)[49_999]).toBe(49_999 / 3);
  expect(() => encode(new Int16Array(2))).toThrow('no such array goes over the wire');
});
