/** The sides of a photograph on a record, in pixels, and how good it is. */
const width = 270;
const height = 360;
const quality = 0.85;

/** Which part of a picture is kept: the largest of its middle that has the form of a photograph on a record. */
export function middle(wide: number, high: number) {
  const scale = Math.min(wide / width, high / height);
  const w = width * scale;
  const h = height * scale;
  return { x: (wide - w) / 2, y: (high - h) / 2, w, h };
}

/** Makes a photograph for a record of a picture file, whatever its size. */
export async function smaller(file: Blob): Promise<Uint8Array> {
  const picture = await createImageBitmap(file).catch(() => {
    throw new Error("This file is not a readable picture. Choose a JPEG or PNG file.");
  });
  const canvas = document.createElement("canvas");
  canvas.width = width;
  canvas.height = height;
  const { x, y, w, h } = middle(picture.width, picture.height);
  canvas.getContext("2d")?.drawImage(picture, x, y, w, h, 0, 0, width, height);
  const blob = await new Promise<Blob | null>((done) => canvas.toBlob(done, "image/jpeg", quality));
  if (!blob) throw new Error("This picture could not be made smaller. Choose another.");
  return new Uint8Array(await blob.arrayBuffer());
}
