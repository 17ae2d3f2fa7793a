/**
 * The number that somebody typed, or null when it is none yet. Thousands may be apart by commas or spaces; a comma that is followed by
 * anything but three digits is a decimal comma: "0,5" is a half, never five.
 */
export function parseNumber(text: string): number | null {
  const plain = text.trim().replaceAll(/[\s\u00a0\u202f]/g, "");
  const grouped = /^[-+]?\d{1,3}(,\d{3})+(\.\d*)?$/;
  const decimalComma = /^[-+]?\d*,\d+$/;
  const written = grouped.test(plain) ? plain.replaceAll(",", "") : decimalComma.test(plain) ? plain.replace(",", ".") : plain;
  if (!/^[-+]?(\d+\.?\d*|\.\d+)(e[-+]?\d+)?$/i.test(written)) return null;
  const number = Number(written);
  return Number.isFinite(number) ? number : null;
}

/** A number that is not typed yet travels as null, so that the server says what is missing and where. */
export const orNull = (value: number | null) => value as number;

/** The same where null would mean "none": an empty text is no number, and the server says so. */
export const orEmpty = (value: number | null) => value ?? ("" as unknown as number);
