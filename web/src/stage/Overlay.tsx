import { Html } from "@react-three/drei";
import { useThree } from "@react-three/fiber";
import type { ComponentProps } from "react";

/** HTML at a place of the scene. It waits until the canvas takes events: its frame is another one then, and what moves there while the page is drawn cannot be removed any more. */
export function Overlay(props: ComponentProps<typeof Html>) {
  const connected = useThree((s) => s.events.connected);
  return connected ? <Html {...props} /> : null;
}
