/** A decimal without the zeros at its end. @example withoutZeros('1.500') // '1.5'; withoutZeros('2.000') // '2.' */
export function withoutZeros(text: string): string {
  let end = text.length;
  while (end > 0 && text[end - 1] === '0') end--;
  return text.slice(0, end);
}
