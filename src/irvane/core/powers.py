"""Logarithms and powers for compiled loops: exact to float32's own precision, and open to vector
instructions.

The C library's functions are called pixel by pixel; these are plain arithmetic, so that the compiler handles
eight or sixteen pixels at once.
"""

from __future__ import annotations

import math

import numpy as np

from irvane.core.kernels import inline, intrinsic

_SIGNIFICAND = np.int32(0x007FFFFF)
_HALF = np.int32(0x3F3504F3)  # bits of √½
_ONE = np.int32(0x3F800000)
_LOG = tuple(np.float32(2 / math.log(2) / n) for n in (1, 3, 5, 7, 9))
_EXP = tuple(np.float32(math.log(2) ** n / math.factorial(n)) for n in range(7))


@intrinsic
def _bits(typingctx, value):
    """The bits of a float32 as int32."""
    from llvmlite import ir
    from numba import types

    def generate(context, builder, signature, args):
        return builder.bitcast(args[0], ir.IntType(32))

    return types.int32(types.float32), generate


@intrinsic
def _float(typingctx, value):
    """The float32 with these bits."""
    from llvmlite import ir
    from numba import types

    def generate(context, builder, signature, args):
        return builder.bitcast(args[0], ir.FloatType())

    return types.float32(types.int32), generate


@inline
def log2(x):
    """Binary logarithm of a normal float32 > 0 (relative error below 3e-7)."""
    shifted = np.int32(_bits(np.float32(x)) - _HALF)
    exponent = np.int32(shifted >> np.int32(23))
    m = _float(np.int32(np.int32(shifted & _SIGNIFICAND) + _HALF))
    s = (m - np.float32(1)) / (m + np.float32(1))
    q = s * s
    series = _LOG[0] + q * (_LOG[1] + q * (_LOG[2] + q * (_LOG[3] + q * _LOG[4])))
    return np.float32(exponent) + s * series


@inline
def exp2(x):
    """Two to the power of a float32, limited to −126…126 (relative error below 3e-7)."""
    x = min(max(np.float32(x), np.float32(-126)), np.float32(126))
    whole = np.int32(x + np.float32(128.5)) - np.int32(128)
    f = x - np.float32(whole)
    series = _EXP[3] + f * (_EXP[4] + f * (_EXP[5] + f * _EXP[6]))
    series = _EXP[0] + f * (_EXP[1] + f * (_EXP[2] + f * series))
    return series * _float(np.int32(np.int32(whole << np.int32(23)) + _ONE))


@inline
def power(x, exponent):
    """x to a power, for x > 0."""
    return exp2(np.float32(exponent) * log2(x))
