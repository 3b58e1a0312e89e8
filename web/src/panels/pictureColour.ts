/** The colour of a picture at a place, as "#rrggbb": the mean of a few pixels, so that grain does not decide. */

export async function colourAt(data: Uint8Array, u: number, v: number): Promise<string | null> {
  if (u < 0 || u > 1 || v < 0 || v > 1) return null;
  const image = await createImageBitmap(new Blob([data.slice()], { type: "image/jpeg" }));
  const canvas = document.createElement("canvas");
  canvas.width = image.width;
  canvas.height = image.height;
  const pen = canvas.getContext("2d");
  if (!pen) return null;
  pen.drawImage(image, 0, 0);
  const x = Math.min(Math.max(Math.round(u * image.width) - 1, 0), image.width - 3),
    y = Math.min(Math.max(Math.round(v * image.height) - 1, 0), image.height - 3);
  const pixels = pen.getImageData(x, y, 3, 3).data;
  const mean = [0, 1, 2].map((k) =>
    Math.round([...Array(9).keys()].reduce((sum, n) => sum + pixels[4 * n + k]!, 0) / 9),
  );
  return `#${mean.map((c) => c.toString(16).padStart(2, "0")).join("")}`;
}
