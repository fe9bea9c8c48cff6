import { describe, expect, it } from "vitest";
import type { Packet } from "../../api/client";
import type { StudyDetail } from "../../api/types";
import { C0 } from "../../format";
import { firstForm, firstFormula, shaped, shareOf, unwrapped, varied, written } from "./family";
import { impedance, levels, phases, predicted } from "./surrogate";

describe("curves of variants", () => {
  it("begin with what the study speaks of", () => {
    expect(firstFormula(["deg(arg(reflection)) at 5.8 GHz"])).toBe("reflection");
    expect(firstFormula(["smallest db20(s11)"])).toBe("s11");
    expect(firstFormula([])).toBe("s11");
    expect(firstForm(["deg(arg(reflection)) at 5.8 GHz"])).toBe("phase");
    expect(firstForm(["smallest db20(s11)"])).toBe("dB");
  });

  it("takes out steps of a turn", () => {
    expect(unwrapped([170, -170, -10, 160])).toEqual([170, 190, 350, 520]);
    expect(unwrapped([-170, 170])).toEqual([-170, -190]);
  });

  it("goes on along the frequency or from variant to variant, behind a moved plane", () => {
    const turn = (deg: number): [number, number] => [
      Math.cos((deg * Math.PI) / 180),
      Math.sin((deg * Math.PI) / 180),
    ];
    // two variants of three frequencies
    const phases = [150, 200, 250, 290, 340, 390];
    const re = phases.map((p) => turn(p)[0]),
      im = phases.map((p) => turn(p)[1]);
    const x = [1e9, 2e9, 3e9];
    const along = shaped(x, re, im, 2, "phase", "frequency");
    expect(along[0]!.map(Math.round)).toEqual([150, 200, 250]);
    expect(along[1]!.map(Math.round)).toEqual([-70, -20, 30]);
    const across = shaped(x, re, im, 2, "phase", "parameter");
    expect(across[1]!.map((v, i) => Math.round(v - across[0]![i]!))).toEqual([140, 140, 140]);
    // a quarter of a wavelength there and back is half a turn
    const moved = shaped([1e9], [1], [0], 1, "phase", "no", C0 / 1e9 / 4);
    expect(Math.abs(moved[0]![0]!)).toBeCloseTo(180, 6);
    expect(shaped([1e9], [0.1], [0], 1, "dB")[0]![0]).toBeCloseTo(-20, 9);
  });

  it("knows what varies, and writes choices by their names", () => {
    const study = {
      variables: [
        { name: "L", unit: "m", nominal: 0.1, options: [] },
        { name: "plan", unit: "", nominal: 0, options: ["coarse", "fine"] },
      ],
      variants: [{ point: [0.1, 1] }, { point: [0.2, 1] }],
    } as unknown as StudyDetail;
    expect(varied(study)).toEqual([0]);
    expect(written(study.variables[0]!, 0.1)).toBe("100 mm");
    expect(written(study.variables[1]!, 1)).toBe("fine");
    expect(study.variants.map(shareOf(study.variants, 0))).toEqual([0, 1]);
  });
});

describe("a surrogate", () => {
  // one variable, two kernels, trend 2 + 3u
  const one = (data: number[], shape: number[]) => ({ shape, data: Float32Array.from(data) });
  const none = (shape: number[]) =>
    one(new Array<number>(shape.reduce((a, b) => a * b, 1)).fill(0), shape);
  const arrays: Packet["arrays"] = {};
  const put = (name: string, data: number[], shape: number[]): void => {
    arrays[`a_${name}`] = one(data, shape);
    arrays[`a_${name}_rest`] = none(shape);
  };
  put("x", [1e9], [1]);
  put("points", [0, 1], [2, 1]);
  put("lengths", [1], [1]);
  put("spread", [0.5], [1]);
  put("least", [0.01], [1]);
  put("inverse", [1, 0, 0, 1], [2, 2]);
  put("trend_re", [2, 3], [2, 1]);
  put("weights_re", [1, 0], [2, 1]);
  const packet: Packet = {
    header: {
      channels: { a: { unit: "", reach: 2, noise: 0, poles: 0, low: [10], scale: [10] } },
    },
    arrays,
  };

  it("is a trend, kernels and a band", () => {
    const found = predicted(packet, "a", [20])!;
    expect(found.re[0]).toBeCloseTo(5 + Math.exp(-0.5), 9);
    // k = (e^-1/2, 1): nothing is left of the variance, the least band stands
    expect(found.band[0]).toBeCloseTo(0.01, 6);
    const away = predicted(packet, "a", [80])!;
    expect(away.band[0]).toBeCloseTo(2 * 0.5, 4);
    expect(predicted(packet, "b", [20])).toBeNull();
  });

  it("has a phase that goes on, and is anywhere where the band takes in zero", () => {
    const found = phases({
      x: [1, 2, 3],
      re: Float64Array.from([-1, -1, 0.1]),
      im: Float64Array.from([0.1, -0.1, 0]),
      band: Float64Array.from([0.5, 0, 0.2]),
    });
    expect(found.y[1]! - found.y[0]!).toBeCloseTo(2 * 5.7106, 3);
    expect(found.y[2]).toBeCloseTo(360, 6);
    expect(found.high[0]! - found.low[0]!).toBeCloseTo(
      (360 / Math.PI) * Math.asin(0.5 / Math.hypot(1, 0.1)),
      6,
    );
    expect(found.high[2]! - found.low[2]!).toBeCloseTo(360, 6);
  });

  it("is poles and what is to be added to them", () => {
    // a pole at 0.5 + 0.1j with the residue 0.2j, a constant 0.3 and no slope; 0.01 is added
    const own: Packet = {
      header: {
        channels: { s: { unit: "", reach: 2, noise: 0, poles: 1, low: [0], scale: [1] } },
      },
      arrays: {},
    };
    const set = (name: string, data: number[], shape: number[]): void => {
      own.arrays[`s_${name}`] = one(data, shape);
      own.arrays[`s_${name}_rest`] = none(shape);
    };
    set("x", [1e9, 2e9], [2]);
    set("axis", [-1, 1], [2]);
    set("points", [0], [1, 1]);
    set("lengths", [1], [1]);
    set("spread", [1, 1], [2]);
    set("least", [0, 0], [2]);
    set("inverse", [1], [1, 1]);
    set("trend_re", [0.4, 0, 0.3, 0, 0.01, 0.01, 0.1, 0, 0, 0, 0, 0], [2, 6]);
    set("trend_im", [0.1, 0.2, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0], [2, 6]);
    set("weights_re", [0, 0, 0, 0, 0, 0], [1, 6]);
    set("weights_im", [0, 0, 0, 0, 0, 0], [1, 6]);
    const found = predicted(own, "s", [1])!;
    // 0.2j / (±1 - 0.5 - 0.1j)
    expect(found.re[0]).toBeCloseTo(0.31 - 0.02 / 2.26, 6);
    expect(found.im![0]).toBeCloseTo(-0.3 / 2.26, 6);
    expect(found.re[1]).toBeCloseTo(0.31 - 0.02 / 0.26, 6);
    expect(found.im![1]).toBeCloseTo(0.1 / 0.26, 6);
  });

  it("says levels and impedances", () => {
    const p = {
      x: [1],
      re: Float64Array.from([0.1]),
      im: null,
      band: Float64Array.from([0.05]),
    };
    const l = levels(p);
    expect(l.y[0]).toBeCloseTo(-20, 9);
    expect(l.low[0]).toBeLessThan(-26);
    expect(impedance(p, 50).r[0]).toBeCloseTo((50 * 1.1) / 0.9, 9);
  });
});
