/** Turning, moving and zooming a view by keys. */
import {
  type OrthographicCamera,
  type PerspectiveCamera,
  Quaternion,
  Spherical,
  Vector3,
} from "three";

const TURN = Math.PI / 24,
  MOVE = 0.05, // of the model's size
  NEARER = 1.15,
  LEAST = 0.01; // rad from straight up or down
const UP = new Vector3(0, 1, 0);
type View = OrthographicCamera | PerspectiveCamera;

/** Moves a camera about ``target`` as a key says: arrows turn, with Shift they move, + and − zoom. Whether it was such a key. */
export function moveByKey(key: string, shift: boolean, camera: View, target: Vector3): boolean {
  const [x, y] = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[
    key
  ] ?? [0, 0];
  if (x || y) {
    if (shift) move(camera, target, x!, y!);
    else turn(camera, target, x!, y!);
  } else if (key === "+" || key === "=") zoom(camera, target, NEARER);
  else if (key === "-") zoom(camera, target, 1 / NEARER);
  else return false;
  camera.lookAt(target);
  camera.updateMatrixWorld();
  return true;
}

function turn(camera: View, target: Vector3, x: number, y: number): void {
  const upright = new Quaternion().setFromUnitVectors(camera.up, UP);
  const from = camera.position.clone().sub(target).applyQuaternion(upright);
  const angles = new Spherical().setFromVector3(from);
  angles.theta += x * TURN;
  angles.phi = Math.min(Math.PI - LEAST, Math.max(LEAST, angles.phi - y * TURN));
  camera.position.copy(from.setFromSpherical(angles).applyQuaternion(upright.invert())).add(target);
}

function move(camera: View, target: Vector3, x: number, y: number): void {
  const step = new Vector3(x * MOVE, y * MOVE, 0).applyQuaternion(camera.quaternion);
  camera.position.add(step);
  target.add(step);
}

function zoom(camera: View, target: Vector3, by: number): void {
  if ("isOrthographicCamera" in camera) {
    camera.zoom *= by;
    camera.updateProjectionMatrix();
  } else camera.position.sub(target).divideScalar(by).add(target);
}
