# Runs PROGRAM and compares its standard output with the file EXPECTED.
execute_process(COMMAND ${PROGRAM} OUTPUT_VARIABLE got RESULT_VARIABLE status)
file(READ ${EXPECTED} wanted)
if(NOT status EQUAL 0 OR NOT got STREQUAL wanted)
  message(FATAL_ERROR "status ${status}; wanted:\n${wanted}\ngot:\n${got}")
endif()
