"""Skinning: linear and dual quaternion, exactly in float64 and fast in compiled float32 kernels."""
