"""Normals: of heights, of pictures of normals, of both together."""

from aulmo.surface.program import BLEND_NORMALS, O_A, O_B, O_C, O_P, SLOPE
from aulmo.trace.compile import units
from aulmo.trace.compile.jit import kernel
from aulmo.trace.compile.units import laid
from aulmo.trace.path.sampling import frame_about
from aulmo.trace.pattern.nodes.places import LEAST, normalized


@kernel
def shift_step(x, y, z, wide):
    """How far apart, in mm, the points stand at which a height is compared."""
    return max(wide, 1e-4 * max(abs(x), abs(y), abs(z), 1.0))


@units.relief_node.made
def relief_node(code, op, lays, registers, x, y, z, nx, ny, nz, wide):
    """Nodes that give a normal, in the part's axes."""
    a, b = registers[int(op[O_A])], registers[int(op[O_B])]
    if code == SLOPE:
        ax, ay, az, bx, by, bz = frame_about(nx, ny, nz)
        scale = registers[int(op[O_P + 1]), 0] / shift_step(x, y, z, wide)
        gx, gy = scale * (a[0] - b[0]), scale * (registers[int(op[O_C]), 0] - registers[int(op[O_P]), 0])
        r, g, c = nx - gx * ax - gy * bx, ny - gx * ay - gy * by, nz - gx * az - gy * bz
    elif code == BLEND_NORMALS:
        share = registers[int(op[O_C]), 0]
        r, g, c = a[0], a[1], a[2]
        if r * r + g * g + c * c < LEAST:
            r, g, c = nx, ny, nz
        if b[0] * b[0] + b[1] * b[1] + b[2] * b[2] > LEAST:
            r, g, c = r + share * (b[0] - nx), g + share * (b[1] - ny), c + share * (b[2] - nz)
    else:
        scale = b[0]
        u, v, w = scale * (2.0 * a[0] - 1.0), scale * (2.0 * a[1] - 1.0), max(0.05, 2.0 * a[2] - 1.0)
        tx, ty, tz = (-ny, nx, 0.0) if nx * nx + ny * ny > 1e-12 else (1.0, 0.0, 0.0)
        if op[O_P] >= 0.0:
            _u, _v, _c, tx, ty, tz, _s, right, down = laid(lays[int(op[O_P])], registers, x, y, z, nx, ny, nz, wide, -1)
            u, v = u * right, v * down
        d = tx * nx + ty * ny + tz * nz
        tx, ty, tz = normalized(tx - d * nx, ty - d * ny, tz - d * nz)
        bx, by, bz = ny * tz - nz * ty, nz * tx - nx * tz, nx * ty - ny * tx
        r, g, c = w * nx + u * tx + v * bx, w * ny + u * ty + v * by, w * nz + u * tz + v * bz
    r, g, c = normalized(r, g, c)
    if r * r + g * g + c * c < 0.5:
        return nx, ny, nz
    return r, g, c
