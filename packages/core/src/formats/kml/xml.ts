import { DOMParser, onErrorStopParsing, XMLSerializer, type Document } from '@xmldom/xmldom';
import type { Input } from '../input.ts';
import { ReadError } from '../read_error.ts';

/**
 * Reads an XML file. Entity definitions are refused: they can name other files or swell without end.
 * @param unprefixed the elements of a vocabulary whose root has this name are read without their prefix, for readers that
 *   look for plain names
 */
export async function xmlOf(input: Input, unprefixed?: string): Promise<Document> {
  const bytes = await input.bytes();
  const declared = /^[^>]*encoding=["']([\w.-]+)["']/.exec(new TextDecoder('latin1').decode(bytes.subarray(0, 200)))?.[1];
  let text: string;
  try {
    text = new TextDecoder(declared ?? 'utf-8', { fatal: true }).decode(bytes);
  } catch {
    throw new ReadError(`${input.name} is not in the encoding that it says (${declared ?? 'UTF-8'})`);
  }
  if (/<!ENTITY/i.test(text))
    throw new ReadError(
      `${input.name} defines XML entities, which are not followed here`,
      'Save the file without a document type definition',
    );
  try {
    const parse = (xml: string) => new DOMParser({ onError: onErrorStopParsing }).parseFromString(xml, 'text/xml');
    const document = parse(text.replace(/^\ufeff/, ''));
    const root = document.documentElement;
    if (!root?.prefix || root.localName !== unprefixed) return document;
    const prefix = new RegExp(`(</?)${root.prefix}:`, 'g');
    return parse(new XMLSerializer().serializeToString(root).replace(prefix, '$1').replace(`xmlns:${root.prefix}=`, 'xmlns='));
  } catch (error) {
    throw new ReadError(`${input.name} is not well-formed XML: ${(error as Error).message.split('\n')[0]}`);
  }
}
