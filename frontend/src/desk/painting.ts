/** The newest picture on its canvas, whatever order the pictures come out of their decoder in. */
import type { Message } from "../scopes/densities";
import { useDesk } from "./state";

const JPEG = "image/jpeg";

/** A decoded picture; where the browser decodes from memory, it is not first copied to another of its processes. */
async function decode(jpeg: Uint8Array<ArrayBuffer>): Promise<ImageBitmap | VideoFrame> {
  if (!("ImageDecoder" in window)) return createImageBitmap(new Blob([jpeg], { type: JPEG }));
  const decoder = new ImageDecoder({ data: jpeg, type: JPEG });
  const { image } = await decoder.decode();
  decoder.close();
  return image;
}

const sizeOf = (image: ImageBitmap | VideoFrame) =>
  "displayWidth" in image ? [image.displayWidth, image.displayHeight] : [image.width, image.height];

/** What draws each new picture on a canvas and writes on it which answer of the server it is. */
export function painter(canvas: () => HTMLCanvasElement | null) {
  let begun = 0;
  let newest = 0;
  return async (picture: Message["picture"]) => {
    const target = canvas();
    if (!picture || !target) return;
    begun += 1;
    const turn = begun;
    const answer = useDesk.getState().shown?.number;
    const image = await decode(picture);
    // Decoding takes its own time: what comes out after a later picture is not drawn over it.
    if (turn > newest) {
      newest = turn;
      const [width, height] = sizeOf(image);
      if (target.width !== width || target.height !== height) {
        target.width = width;
        target.height = height;
      }
      target.getContext("2d", { alpha: false })?.drawImage(image, 0, 0);
      target.dataset.drawn = String(Number(target.dataset.drawn ?? 0) + 1);
      target.dataset.answer = String(answer);
    }
    image.close();
  };
}
