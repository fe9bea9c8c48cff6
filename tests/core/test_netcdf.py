"""Datasets as files: complex numbers in two parts, and each variable decoded when asked for."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import h5netcdf
import numpy as np
import pytest
import xarray as xr

from heron.formats import netcdf, packed


@pytest.fixture
def results() -> xr.Dataset:
    dice = np.random.default_rng(4)
    s = dice.normal(size=(5, 2, 2)) + 1j * dice.normal(size=(5, 2, 2))
    return xr.Dataset(
        {
            "s": (("frequency", "port", "port_in"), s, {"units": "1"}),
            "coarse": (("frequency",), (s[:, 0, 0]).astype(np.complex64)),
            "solved": (("frequency",), np.array([True, False, True, True, False])),
            "z0": (("port",), np.array([50.0, 75.0]), {"units": "ohm"}),
        },
        coords={"frequency": np.linspace(1e9, 2e9, 5), "port": [1, 2], "port_in": [1, 2]},
        attrs={"engine": "dummy", "part_names": ["rod", "plate"], "stopped": 0},
    )


@pytest.fixture
def data(results: xr.Dataset, tmp_path: Path) -> bytes:
    netcdf.write(results, tmp_path / "run.nc")
    return (tmp_path / "run.nc").read_bytes()


def test_a_file_reads_back_to_the_last_bit(results: xr.Dataset, tmp_path: Path) -> None:
    netcdf.write(results, tmp_path / "run.nc")
    for found in (
        netcdf.read(tmp_path / "run.nc"),
        netcdf.opened((tmp_path / "run.nc").read_bytes()),
    ):
        assert set(found.variables) == set(results.variables)
        for name, variable in results.variables.items():
            assert found[name].dims == variable.dims
            assert found[name].dtype == variable.dtype, name
            assert np.array_equal(found[name].values, variable.values), name
        assert found["s"].attrs["units"] == "1" and found["z0"].attrs["units"] == "ohm"
        assert found.attrs["engine"] == "dummy"
        assert np.ravel(found.attrs["part_names"]).tolist() == ["rod", "plate"]


def test_only_what_is_asked_for_is_decoded(data: bytes, monkeypatch: pytest.MonkeyPatch) -> None:
    """A read of S-parameters must not unpack currents of many megabytes."""
    found = netcdf.opened(data)
    decoded: list[str] = []
    plain = h5netcdf.Variable.__getitem__

    def watched(self: Any, key: Any) -> Any:
        decoded.append(self.name.removeprefix("/"))
        return plain(self, key)

    monkeypatch.setattr(h5netcdf.Variable, "__getitem__", watched)
    found["s"].values  # noqa: B018
    assert sorted(set(decoded)) == ["s_im", "s_re"]
    found["s"].values  # noqa: B018
    assert len(decoded) == 2, "and kept"
    assert "coarse" in found and found.sizes["port"] == 2
    assert len(decoded) == 2, "to look whether something is there decodes nothing"


def test_parts_of_a_variable_and_changes_of_a_dataset_work_as_of_any(
    data: bytes, results: xr.Dataset
) -> None:
    found = netcdf.opened(data)
    assert np.array_equal(found["s"].values[2], results["s"].values[2])
    one = found.isel(frequency=[1, 3])
    assert np.array_equal(one["s"].values, results["s"].values[[1, 3]])
    assert np.array_equal(found["s"].sel(port=2).values, results["s"].values[:, 1])
    more = found.assign(twice=2 * found["s"]).assign_attrs(note="more")
    assert np.array_equal(more["twice"].values, 2 * results["s"].values)
    assert "note" not in found.attrs
    assert found.drop_vars("s").sizes["frequency"] == 5


def test_what_is_opened_can_be_written_again(data: bytes, tmp_path: Path) -> None:
    netcdf.write(netcdf.opened(data), tmp_path / "again.nc")
    again = netcdf.read(tmp_path / "again.nc")
    assert again.identical(netcdf.opened(data).load())


def test_what_is_packed_is_the_same_and_unpacked_when_asked_for(
    results: xr.Dataset, monkeypatch: pytest.MonkeyPatch
) -> None:
    many = results.assign(large=(("frequency", "place"), np.arange(1e4).reshape(5, -1)))
    data = packed.pack(many)
    assert data == packed.pack(many) and packed.is_packed(data)
    found = packed.opened(data)
    unpacked: list[tuple[int, ...]] = []
    whole = packed._Packed._values

    def watched(self: Any, key: Any) -> Any:
        unpacked.append(self.shape)
        return whole(self, key)

    monkeypatch.setattr(packed._Packed, "_values", watched)
    assert np.array_equal(found["s"].values, many["s"].values)
    assert np.array_equal(found["s"].values, many["s"].values) and unpacked == [(5, 2, 2)]
    assert np.array_equal(found["large"][2, [5, 3]].values, many["large"][2, [5, 3]].values)
    assert found.load().identical(many)
    assert len(data) < 60_000  # compressed: 80 kB of it are one array
