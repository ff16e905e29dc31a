/** Puts files into one zip file, as they are (PKWARE APPNOTE 6.3.3: method 0), with names in UTF-8. */
export async function pack(files: File[], name: string): Promise<File> {
  const parts: BlobPart[] = [];
  const directory: BlobPart[] = [];
  let at = 0;
  for (const file of files) {
    const content = new Uint8Array(await file.arrayBuffer());
    const title = new TextEncoder().encode(file.name);
    const head = new DataView(new ArrayBuffer(26)); // what the local header and the directory have in common
    head.setUint16(0, 20, true);
    head.setUint16(2, 0x0800, true);
    head.setUint16(8, 0x21, true); // the first of January 1980
    head.setUint32(10, crc(content), true);
    head.setUint32(14, content.length, true);
    head.setUint32(18, content.length, true);
    head.setUint16(22, title.length, true);
    const rest = new DataView(new ArrayBuffer(14));
    rest.setUint32(10, at, true);
    parts.push(signature(0x04034b50), head.buffer, title, content);
    directory.push(signature(0x02014b50), new Uint8Array([20, 0]), head.buffer, rest.buffer, title);
    at += 30 + title.length + content.length;
  }
  const size = directory.reduce((sum: number, part) => sum + (part as ArrayBuffer | Uint8Array).byteLength, 0);
  const end = new DataView(new ArrayBuffer(18));
  end.setUint16(4, files.length, true);
  end.setUint16(6, files.length, true);
  end.setUint32(8, size, true);
  end.setUint32(12, at, true);
  return new File([...parts, ...directory, signature(0x06054b50), end.buffer], name, { type: 'application/zip' });
}

function signature(value: number) {
  const view = new DataView(new ArrayBuffer(4));
  view.setUint32(0, value, true);
  return view.buffer;
}

const table = Array.from({ length: 256 }, (_, n) => {
  let c = n;
  for (let k = 0; k < 8; k++) c = c & 1 ? 0xedb88320 ^ (c >>> 1) : c >>> 1;
  return c >>> 0;
});

/** CRC-32 of ISO/IEC 8802-3, as zip files have it. */
function crc(bytes: Uint8Array) {
  let c = 0xffffffff;
  for (const byte of bytes) c = (table[(c ^ byte) & 0xff] ?? 0) ^ (c >>> 8);
  return (c ^ 0xffffffff) >>> 0;
}
