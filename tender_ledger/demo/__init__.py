"""The invented study of the Veldra Hills as open-format files, loaded through the same operations as everything else."""
