import { OrthographicCamera, PerspectiveCamera, Vector3 } from "three";
import { describe, expect, it } from "vitest";
import { moveByKey } from "./keys";

const seen = <T extends OrthographicCamera | PerspectiveCamera>(camera: T): T => {
  camera.up.set(0, 0, 1);
  camera.position.set(0, -10, 0);
  camera.lookAt(0, 0, 0);
  return camera;
};

describe("keys on the stage", () => {
  it("turn about the model and keep its distance, not over its top", () => {
    const camera = seen(new PerspectiveCamera()),
      target = new Vector3();
    expect(moveByKey("ArrowRight", false, camera, target)).toBe(true);
    expect(camera.position.x).toBeCloseTo(10 * Math.sin(Math.PI / 24));
    expect(camera.position.z).toBeCloseTo(0);
    for (let k = 0; k < 30; k++) moveByKey("ArrowUp", false, camera, target);
    expect(camera.position.length()).toBeCloseTo(10);
    expect(camera.position.z).toBeGreaterThan(9.99);
  });
  it("move the view with Shift and zoom it", () => {
    const flat = seen(new OrthographicCamera()),
      target = new Vector3();
    moveByKey("ArrowRight", true, flat, target);
    expect([target.x, target.y, target.z].map((c) => Number(c.toFixed(6)) + 0)).toEqual([
      0.05, 0, 0,
    ]);
    moveByKey("+", false, flat, target);
    expect(flat.zoom).toBeCloseTo(1.15);
    const camera = seen(new PerspectiveCamera());
    moveByKey("-", false, camera, new Vector3());
    expect(camera.position.y).toBeCloseTo(-11.5);
  });
  it("leave other keys alone", () => {
    expect(moveByKey("a", false, seen(new PerspectiveCamera()), new Vector3())).toBe(false);
  });
});
