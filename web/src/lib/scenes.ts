// Which scenes and UVs a glTF file has, read in the page before it is sent.

export interface Inside {
  scenes: string[];
  /** how many sets of UVs its meshes have at most */
  uvs: number;
}

interface Doc {
  scenes?: { name?: string }[];
  meshes?: { primitives?: { attributes?: Record<string, number> }[] }[];
}

/** What there is to choose in a .glb or .gltf; nothing in other and unreadable files. */
export async function inside(f: File): Promise<Inside> {
  try {
    let text = '';
    if (/\.gltf$/i.test(f.name)) text = await f.text();
    else if (/\.glb$/i.test(f.name)) {
      // header of 12 bytes, then the JSON chunk: length, kind, body (glTF 2.0, 4.4)
      const head = new DataView(await f.slice(0, 20).arrayBuffer());
      text = await f.slice(20, 20 + head.getUint32(12, true)).text();
    }
    const doc = (text ? JSON.parse(text) : {}) as Doc;
    let uvs = 0;
    for (const m of doc.meshes ?? [])
      for (const p of m.primitives ?? []) while (p.attributes?.[`TEXCOORD_${uvs}`] !== undefined) uvs++;
    return { scenes: (doc.scenes ?? []).map((s, i) => s.name || `Scene ${i + 1}`), uvs };
  } catch {
    return { scenes: [], uvs: 0 }; // the server says what is wrong with the file
  }
}
