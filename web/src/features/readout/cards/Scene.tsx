import { OrbitControls } from "@react-three/drei";
import { Canvas } from "@react-three/fiber";
import type { ReactNode } from "react";
import { useTheme } from "../../../app/theme";
import type { Extent } from "../../../stage/extent";

/** A scene of a card, with its model in the middle; colours are made anew with the theme. */
export function Scene({
  extent,
  from,
  zoom,
  children,
}: {
  extent: Extent;
  from: [number, number, number];
  zoom: number;
  children: ReactNode;
}) {
  const theme = useTheme((s) => s.theme);
  return (
    <Canvas
      flat
      orthographic
      frameloop="demand"
      dpr={[1, 2]}
      gl={{ preserveDrawingBuffer: true, antialias: true }}
      camera={{ near: -100, far: 200, zoom, position: from, up: [0, 0, 1] }}
    >
      <ambientLight intensity={2.1} />
      <directionalLight position={[3, -4, 8]} intensity={1.7} />
      <OrbitControls enableDamping={false} />
      <group
        key={theme}
        scale={1 / extent.size}
        position={extent.center.map((c) => -c / extent.size) as [number, number, number]}
      >
        {children}
      </group>
    </Canvas>
  );
}
