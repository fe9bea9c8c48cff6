"""Constants of nature, SI: CODATA 2018 (NIST SP 961); the speed of light is exact, and the others
follow from it and μ0.
"""

C0 = 299792458.0  # m/s
MU0 = 1.25663706212e-6  # H/m
EPS0 = 1.0 / (MU0 * C0**2)  # F/m
ETA0 = MU0 * C0  # Ω, impedance of free space
