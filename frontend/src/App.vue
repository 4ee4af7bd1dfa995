<template>
  <!-- What is said stands under the ribbon, so that the stations stay in reach. -->
  <el-config-provider :message="{ placement: 'bottom-right', offset: 12, max: 3 }"><router-view /></el-config-provider>
</template>
