/** Finding a payer by any part of what its card says. */

interface Payer {
  name: string;
  payerCode: string;
  telephone: string;
  address: string;
}

const plain = (text: string) => text.normalize('NFD').replace(/\p{M}/gu, '').toLowerCase();
const digits = (text: string) => text.replace(/\D/g, '');

/** Those of whom every typed word begins a word of the name, address or payer code, or stands in the telephone number. */
export function findPayers<P extends Payer>(payers: P[], typed: string): P[] {
  const number = digits(typed);
  const onlyNumber = number.length >= 4 && /^[\d\s()+.-]+$/.test(typed.trim());
  const words = plain(typed)
    .split(/[^\p{L}\p{N}]+/u)
    .filter(Boolean);
  const fits = (payer: P) => {
    if (onlyNumber && payer.telephone !== '' && digits(payer.telephone).includes(number.replace(/^1(?=\d{10}$)/, '')))
      return true;
    const own = plain(`${payer.name} ${payer.address} ${payer.payerCode}`).split(/[^\p{L}\p{N}]+/u);
    return words.every((word) => own.some((o) => o.startsWith(word)));
  };
  return payers.filter(fits);
}
