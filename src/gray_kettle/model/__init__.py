"""Values that every layer shares: records from decoders, the setup of a case, plan preferences."""
