<script setup lang="ts">
import { onMounted, ref } from 'vue'

import { currencies, type CurrencyInfo } from '../api/currencies'

/** A currency of ISO 4217, found by its code or its name. */
const code = defineModel<string>({ required: true })
const all = ref<CurrencyInfo[]>([])
onMounted(async () => (all.value = await currencies()))
</script>

<template>
  <el-select v-model="code" filterable aria-label="Currency" placeholder="Choose a currency">
    <el-option v-for="one in all" :key="one.code" :value="one.code" :label="`${one.code}, ${one.name}`" />
  </el-select>
</template>
