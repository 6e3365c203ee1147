/** Hands a file to the browser, which asks or keeps it as it is set. */
export function saveBlob(name: string, blob: Blob): void {
  const address = URL.createObjectURL(blob);
  const link = document.createElement('a');
  link.href = address;
  link.download = name.replace(/[^\w .,()-]+/g, '-');
  link.click();
  setTimeout(() => URL.revokeObjectURL(address), 10_000);
}

export const saveText = (name: string, text: string, type: string): void =>
  saveBlob(name, new Blob([text], { type }));

/** Dots to a point, so that a picture is sharp when it is printed. */
const DENSITY = 2;

/** Makes a PNG of a drawing. */
export async function savePicture(name: string, svg: string): Promise<void> {
  const image = new Image();
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`;
  await image.decode();
  const canvas = document.createElement('canvas');
  canvas.width = image.width * DENSITY;
  canvas.height = image.height * DENSITY;
  const context = canvas.getContext('2d')!;
  context.fillStyle = getComputedStyle(document.body).backgroundColor;
  context.fillRect(0, 0, canvas.width, canvas.height);
  context.scale(DENSITY, DENSITY);
  context.drawImage(image, 0, 0);
  await new Promise<void>((resolve) =>
    canvas.toBlob((blob) => {
      if (blob) saveBlob(name, blob);
      resolve();
    }, 'image/png'),
  );
}
