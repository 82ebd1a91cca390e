// Pictures are shrunk on the phone, which leaves behind where they were taken.

const LONG_SIDE = 1600;

export async function shrunk(file) {
  const drawn = await createImageBitmap(file);
  const scale = Math.min(1, LONG_SIDE / Math.max(drawn.width, drawn.height));
  const size = { width: Math.round(drawn.width * scale), height: Math.round(drawn.height * scale) };
  const canvas = Object.assign(document.createElement("canvas"), size);
  canvas.getContext("2d").drawImage(drawn, 0, 0, size.width, size.height);
  return new Promise((done, failed) => {
    canvas.toBlob((blob) => (blob ? done(blob) : failed(new Error("no picture"))), "image/jpeg", 0.82);
  });
}
