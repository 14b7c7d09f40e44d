// @vitest-environment happy-dom
/** The picture's canvas, with a decoder that finishes when it is reported to. */
import { afterEach, expect, it, vi } from "vitest";
import { painter } from "../src/desk/painting";
import { useDesk } from "../src/desk/state";

afterEach(() => vi.unstubAllGlobals());

it("never draws a picture over a later one", async () => {
  const decoded: ((image: object) => void)[] = [];
  vi.stubGlobal("createImageBitmap", () => new Promise((done) => decoded.push(done)));
  const drawn: unknown[] = [];
  const canvas = document.createElement("canvas");
  vi.spyOn(canvas, "getContext").mockReturnValue({
    drawImage: (image: unknown) => drawn.push(image),
  } as never);
  const image = (width: number) => ({ width, height: 9, close: vi.fn() });
  const [first, second, third] = [image(16), image(16), image(32)];

  const paint = painter(() => canvas);
  const painted = [1, 2, 3].map((number) => {
    useDesk.setState({ shown: { number } as never });
    return paint(new Uint8Array());
  });
  decoded[1](second);
  await painted[1];
  expect(canvas.dataset.answer).toBe("2");
  decoded[0](first);
  await painted[0];
  expect(drawn).toEqual([second]);
  expect(first.close).toHaveBeenCalled();
  expect(canvas.dataset.answer).toBe("2");
  decoded[2](third);
  await painted[2];
  expect(drawn).toEqual([second, third]);
  expect([canvas.width, canvas.dataset.answer, canvas.dataset.drawn]).toEqual([32, "3", "2"]);
});

it("decodes from memory where the browser can", async () => {
  const asked: unknown[] = [];
  const close = vi.fn();
  class Decoder {
    close = close;
    constructor(init: unknown) {
      asked.push(init);
    }
    decode = async () => ({ image: { displayWidth: 20, displayHeight: 10, close } });
  }
  vi.stubGlobal("ImageDecoder", Decoder);
  const canvas = document.createElement("canvas");
  vi.spyOn(canvas, "getContext").mockReturnValue({ drawImage: vi.fn() } as never);
  useDesk.setState({ shown: { number: 5 } as never });
  const jpeg = new Uint8Array([1, 2]);
  await painter(() => canvas)(jpeg);
  expect(asked).toEqual([{ data: jpeg, type: "image/jpeg" }]);
  expect([canvas.width, canvas.height, canvas.dataset.answer]).toEqual([20, 10, "5"]);
  expect(close).toHaveBeenCalledTimes(2);
});
