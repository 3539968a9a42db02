"""How functions are compiled.

``lean`` ones allocate nothing and keep no count of who holds an array: counting is atomic, and costs more
than the work itself in a function that hands a dozen arrays to another a million times a second. Whoever
calls one holds the arrays for it. Nothing in them may make an array; a view of one is no allocation. The
option is numba's own (``_nrt``: its run time for counting and allocating), and goes by the version that is
pinned.

None is called from C: what would let it be is left out, since that takes time to compile. What would let the
inlined ones be called from Python is not, since such a call would end the process.
"""

from __future__ import annotations

from typing import Any

from numba import njit

_njit: Any = njit
compiled: Any = _njit(cache=True, nogil=True, no_cfunc_wrapper=True)
lean: Any = _njit(cache=True, nogil=True, error_model="numpy", _nrt=False, no_cfunc_wrapper=True)
lean_inlined: Any = _njit(
    cache=True,
    nogil=True,
    error_model="numpy",
    _nrt=False,
    fastmath=True,
    forceinline=True,
    no_cfunc_wrapper=True,
)
lean_fast: Any = _njit(
    cache=True, nogil=True, error_model="numpy", _nrt=False, fastmath=True, no_cfunc_wrapper=True
)
