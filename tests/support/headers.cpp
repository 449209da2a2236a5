// Carries the precompiled headers of the core's tests.
