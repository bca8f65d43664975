"""Fields as VTU, the XML format of unstructured grids."""
import os
import tempfile

import meshio
import numpy as np

from ..look.fields import derive


def write_vtu(mesh, state, air, chord):
    """A state with all derived quantities as cell data, in metres and SI.

    Returns
    -------
    bytes
    """
    values = derive(state, air)
    data = {
        "pressure_Pa": values["pressure"], "temperature_K": values["temperature"],
        "density_kg_m3": values["density"], "mach": values["mach"], "cp": values["cp"],
        "total_pressure_loss": values["loss"], "velocity_m_s": np.stack(
            [values["u"], values["v"], np.zeros_like(values["u"])], axis=1)
    }
    points = np.concatenate([mesh.points * chord, np.zeros((len(mesh.points), 1))], axis=1)
    return _bytes(points, "quad", mesh.cell_nodes, data)


def write_hexahedra(points, corners, data):
    """Hexahedra with cell data.

    Parameters
    ----------
    points : ndarray, shape (n, 3)
    corners : ndarray, shape (n_cells, 8)
    data : dict of str to ndarray

    Returns
    -------
    bytes
    """
    return _bytes(points, "hexahedron", corners, data)


def _bytes(points, kind, cells, data):
    document = meshio.Mesh(points, [(kind, cells)], cell_data={name: [v] for name, v in data.items()})
    with tempfile.TemporaryDirectory() as folder:
        path = os.path.join(folder, "field.vtu")
        meshio.write(path, document, file_format="vtu")
        with open(path, "rb") as stored:
            return stored.read()
