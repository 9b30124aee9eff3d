"""What is it that came? Its real root, version, platform and contents."""
