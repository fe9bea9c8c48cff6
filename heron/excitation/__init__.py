"""What comes in: pulses, and waves that illuminate a model."""
