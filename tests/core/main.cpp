int runCatch(int argc, char** argv);

int main(int argc, char** argv) {
  return runCatch(argc, argv);
}
